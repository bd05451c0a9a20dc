import { useParams } from 'react-router';
import { useDeskState } from '../context';
import { inOrder } from '../devices/board';

/** The box that a page is about: that of the address, else the first one that comes to the bench. */
export function useBox(): string {
  const { device } = useParams();
  const { desk } = useDeskState();
  const staged = inOrder(desk.plan).filter((key) => desk.plan.devices[key]?.role !== 'modem');
  return device ?? staged[0] ?? '';
}
