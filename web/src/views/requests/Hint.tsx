import { useEffect, useState } from 'react';
import type { RequestRow } from '../../api/types';
import { ms } from '../../parts/format';

/** The mouse rests so long on a row, in ms, before its phases are told. */
const DELAY = 450;

/**
 * The phases of the row under the mouse; of the one that keys lead to the margin tells them. One for the whole
 * list: a tooltip a row would cost two thousand rows their smoothness.
 */
export function Hint({
  scroller,
  rowOf,
}: {
  scroller: React.RefObject<HTMLDivElement | null>;
  rowOf: (id: number) => RequestRow | undefined;
}) {
  const [shown, setShown] = useState<{ row: RequestRow; top: number; left: number } | null>(null);
  useEffect(() => {
    const element = scroller.current;
    if (!element) return;
    let timer: ReturnType<typeof setTimeout> | undefined;
    let over: string | undefined;
    const show = (e: Event) => {
      const target = (e.target as HTMLElement).closest<HTMLElement>('[data-request]');
      const id = target?.dataset.request;
      if (id === over) return;
      over = id;
      clearTimeout(timer);
      setShown(null);
      const row = id === undefined ? undefined : rowOf(Number(id));
      if (!target || !row) return;
      timer = setTimeout(() => {
        const box = target.getBoundingClientRect();
        const top = box.bottom + 150 > innerHeight ? box.top - 138 : box.bottom + 4;
        setShown({ row, top, left: Math.min(box.left + 70, innerWidth - 260) });
      }, DELAY);
    };
    const hide = () => {
      over = undefined;
      clearTimeout(timer);
      setShown(null);
    };
    element.addEventListener('mouseover', show);
    element.addEventListener('mouseleave', hide);
    element.addEventListener('scroll', hide);
    return () => {
      clearTimeout(timer);
      element.removeEventListener('mouseover', show);
      element.removeEventListener('mouseleave', hide);
      element.removeEventListener('scroll', hide);
    };
  }, [scroller, rowOf]);
  if (!shown) return null;
  const { row } = shown;
  const gap = (a: number | null, b: number | null) => (a === null || b === null ? 'not known' : ms(Math.max(0, b - a)));
  const rows: [string, string][] = [
    ['asked for at', ms(row.start_ms)],
    ['queued', gap(row.start_ms, row.connect_start_ms ?? row.sent_ms)],
    ['connecting', row.connect_start_ms === null ? 'connection in use' : gap(row.connect_start_ms, row.connect_end_ms)],
    ['waiting', gap(row.sent_ms, row.first_byte_ms)],
    ['receiving', gap(row.first_byte_ms, row.end_ms)],
  ];
  return (
    <div
      role="tooltip"
      className="pointer-events-none fixed z-50 w-[240px] rounded border border-rule-strong bg-sheet px-3 py-2 text-[12.5px] leading-[1.4] shadow-md"
      style={{ top: shown.top, left: shown.left }}
    >
      <strong className="[overflow-wrap:anywhere]">{row.name}</strong>
      {rows.map(([name, value]) => (
        <span key={name} className="flex justify-between gap-6">
          <span className="text-ink-2">{name}</span>
          <span>{value}</span>
        </span>
      ))}
      {row.render_blocking === 'blocking' && (
        <span className="block">holds up rendering until {ms(row.released_ms)}</span>
      )}
    </div>
  );
}
