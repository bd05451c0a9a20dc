import { useDeferredValue, useEffect, useState } from 'react';
import { useDeskState } from '../context';
import { useHardware } from '../devices/queries';
import { useKeepReadBack, useReadBack } from './queries';

/** What a box shows as somebody pastes it, judged soon after, and anew when plan or type change. */
export function useReading(device: string) {
  const { name, desk } = useDeskState();
  const [text, setText] = useState('');
  const read = useReadBack(name, device);
  const keep = useKeepReadBack(name, device);
  const asked = useDeferredValue(text);
  const version = useHardware().data?.find(
    (one) => one.type.key === desk.plan.devices[device]?.type,
  )?.version;
  const { mutate, reset } = read;
  useEffect(() => {
    if (!asked.trim()) return reset();
    const soon = window.setTimeout(() => mutate(asked), 150);
    return () => window.clearTimeout(soon);
  }, [asked, desk.revision.number, version, mutate, reset]);
  return { text, setText, read, keep, back: text.trim() ? read.data : undefined };
}
