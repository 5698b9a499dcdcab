import { Shuffle } from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import { useMemo } from 'react';
import { useForeseen } from '../api/forecasts';
import type { Foreseen } from '../api/types';
import { useReading } from '../shell/reading';
import { changeOf, moves, signed } from './forecast';
import { METRICS, plural } from './format';
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
  const { data, error, isFetching } = useForeseen(recording.id, number, asked);
  const toggle = (key: string) =>
    setWords(
      fixes
        .map((f) => f.key)
        .filter((k) => (k === key) !== on.some((f) => f.key === k))
        .join('|'),
    );
  const foreseen = on.length ? data : undefined;
  return { fixes, on, toggle, clear: () => setWords(''), foreseen, error: on.length ? error : null, isFetching };
}

/** Fixes switched on and off, and what that brings. */
export function WhatIf({ what }: { what: ReturnType<typeof useWhatIf> }) {
  const { fixes, on, toggle, clear, foreseen, error } = what;
  if (!fixes.length) return null;
  return (
    <>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger className="btn !px-2 !py-0.5 text-[12.5px]" aria-pressed={on.length > 0}>
          <Shuffle size={13} aria-hidden /> what if …
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            align="start"
            sideOffset={4}
            className="z-40 max-h-[70vh] max-w-[560px] overflow-auto rounded border border-rule-strong bg-sheet py-1 text-[13px] shadow-md"
          >
            {fixes.map((fix) => {
              const checked = on.some((f) => f.key === fix.key);
              return (
                <DropdownMenu.CheckboxItem
                  key={fix.key}
                  className="flex cursor-pointer items-baseline gap-2 px-3 py-1 outline-none data-[highlighted]:bg-soft"
                  checked={checked}
                  onSelect={(e) => e.preventDefault()}
                  onCheckedChange={() => toggle(fix.key)}
                >
                  <span className="w-3 shrink-0">{checked ? '✓' : ''}</span>
                  <span className="[overflow-wrap:anywhere]">{fix.title}</span>
                </DropdownMenu.CheckboxItem>
              );
            })}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      {on.length > 0 && (
        <p className="flex basis-full flex-wrap items-baseline gap-x-4 text-[13px]" role="status">
          <span className="text-ink">
            With {on.length === 1 ? `“${on[0]?.title ?? ''}”` : plural(on.length, 'fix', 'fixes')}, by forecast:{' '}
            {error ? (
              'the forecast could not be made.'
            ) : foreseen ? (
              <Brought foreseen={foreseen} />
            ) : (
              'being computed …'
            )}
          </span>
          {foreseen?.left_out.map((l) => (
            <span key={l.edit}>Left out: {l.why}</span>
          ))}
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
  if (!moved.length) return <strong>nothing changes</strong>;
  return <strong>{moved.map((b) => `${METRICS[b.metric].short} ${signed(b.metric, changeOf(b))}`).join(', ')}</strong>;
}
