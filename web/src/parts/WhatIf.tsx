import { Shuffle } from 'lucide-react';
import { useMemo } from 'react';
import { useForeseen } from '../api/forecasts';
import type { Foreseen } from '../api/types';
import { useReading } from '../shell/reading';
import { CheckMenu } from './CheckMenu';
import { UNPAINTED, changeOf, moves, tellsPaints } from './forecast';
import { METRICS, plural, signed } from './format';
import { useParam } from './useParam';

/** The edits that are switched on, by the keys of their fixes in the address, and what they bring. */
export function useWhatIf() {
  const { load, recording, number } = useReading();
  const [words, setWords] = useParam('if');
  const fixes = useMemo(() => [...new Map(load.findings.map((f) => [f.fix.key, f.fix])).values()], [load.findings]);
  const on = useMemo(() => {
    const keys = words.split('|');
    return fixes.filter((f) => keys.includes(f.key));
  }, [fixes, words]);
  const asked = useMemo(() => on.map((f) => f.edit), [on]);
  const { data, error, isPlaceholderData } = useForeseen(recording.id, number, asked);
  const toggle = (key: string) =>
    setWords(
      fixes
        .map((f) => f.key)
        .filter((k) => (k === key) !== on.some((f) => f.key === k))
        .join('|'),
    );
  const foreseen = on.length ? data : undefined;
  return {
    fixes,
    on,
    toggle,
    clear: () => setWords(''),
    foreseen,
    error: on.length ? error : null,
    stale: isPlaceholderData,
  };
}

/** Fixes switched on and off, and what that brings. */
export function WhatIf({ what }: { what: ReturnType<typeof useWhatIf> }) {
  const { fixes, on, toggle, clear, foreseen, error, stale } = what;
  if (!fixes.length) return null;
  return (
    <>
      <CheckMenu
        items={fixes.map((fix) => ({ id: fix.key, name: fix.title }))}
        on={on.map((fix) => fix.key)}
        toggle={toggle}
        pressed={on.length > 0}
      >
        <Shuffle size={13} aria-hidden /> what if …
      </CheckMenu>
      {on.length > 0 && (
        <p className="flex basis-full flex-wrap items-baseline gap-x-4 text-[13px]" role="status">
          <span className="text-ink">
            With {on.length === 1 ? `“${on[0]?.title ?? ''}”` : plural(on.length, 'fix', 'fixes')}, by forecast:{' '}
            {error ? (
              'the forecast could not be made.'
            ) : foreseen && !stale ? (
              <Brought foreseen={foreseen} />
            ) : (
              'being computed …'
            )}
          </span>
          {!stale && foreseen?.left_out.map((l) => <span key={l.edit}>Left out: {l.why}</span>)}
          <button className="btn btn-quiet !px-1.5 !py-0 text-accent" onClick={clear}>
            switch all off
          </button>
        </p>
      )}
    </>
  );
}

function Brought({ foreseen }: { foreseen: Foreseen }) {
  const moved = foreseen.brings.filter(moves);
  const unpainted = !tellsPaints(foreseen.brings) && ` (${UNPAINTED})`;
  if (!moved.length)
    return (
      <>
        <strong>nothing changes</strong>
        {unpainted}
      </>
    );
  return (
    <>
      <strong>{moved.map((b) => `${METRICS[b.metric].short} ${signed(b.metric, changeOf(b))}`).join(', ')}</strong>
      {unpainted}
    </>
  );
}
