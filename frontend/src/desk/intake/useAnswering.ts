import { useState } from 'react';
import type { Contradiction, Failure } from '../../api/client';
import { useEcho } from '../../parts/useEcho';
import { useDeskState } from '../context';
import { useAnswer, type Question } from './queries';

interface More {
  confirmed?: boolean;
  overwrite?: boolean;
  words?: string;
}

/** An answer while it is typed, sent and held against what was confirmed. */
export function useAnswering(question: Question, source: string, confirming: boolean) {
  const { name, desk } = useDeskState();
  const answer = useAnswer(name);
  const typing = useEcho(name);
  const [against, setAgainst] = useState<Contradiction[]>([]);
  const [words, setWords] = useState<string | null>(null);
  const { text, problem } = typing;
  const reset = () => {
    typing.reset();
    setAgainst([]);
    setWords(null);
  };
  const type = (typed: string) => {
    setAgainst([]);
    const asIs = question.path.startsWith('/answers/') || isNone(typed, question);
    void typing.type(typed, asIs ? null : question.path);
  };
  const send = async (typed: string, more: More = {}) => {
    const still = typing.saving();
    try {
      await answer.mutateAsync({
        answers: {
          answers: [{ key: question.key, text: typed, words: more.words ?? question.words ?? '' }],
          source: source || (more.confirmed ? (question.source ?? '') : ''),
          confirmed: more.confirmed ?? confirming,
          overwrite: more.overwrite ?? false,
        },
        revision: desk.revision.number,
      });
      if (still()) reset();
    } catch (error) {
      const failure = error as Failure;
      setAgainst(failure.contradictions);
      typing.setProblem(failure.contradictions.length > 0 ? '' : failure.message);
    }
  };
  const save = () => {
    if (text === null || problem || against.length > 0) return;
    if (text === question.value) reset();
    else void send(text);
  };
  /** One of few values: sent as it is chosen. */
  const choose = (value: string) => {
    typing.setText(value);
    void send(value);
  };
  const shown = text ?? question.value;
  const echo = text !== null ? typing.echo : '';
  return { shown, echo, problem, against, words, setWords, type, send, save, reset, choose };
}

export type Answering = ReturnType<typeof useAnswering>;

function isNone(typed: string, question: Question): boolean {
  return question.optional && /^(none|no|nothing|-)$/i.test(typed.trim());
}
