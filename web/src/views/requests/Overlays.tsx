import { useEffect, useState } from 'react';
import type { Analysis } from '../../api/queries';
import { ms } from '../../parts/format';
import { moments, ticks } from '../../parts/time';
import type { Span } from '../../parts/useSpan';

/** Grid lines and vital moments through all rows. */
export function Lines(props: { load: Analysis; span: Span; lane: number; left: number; height: number }) {
  const { load, span, lane, left } = props;
  const x = (at: number) => left + ((at - span.from) / (span.to - span.from)) * lane;
  const inside = (at: number) => at >= span.from && at <= span.to;
  return (
    <div aria-hidden className="pointer-events-none absolute inset-0" style={{ height: props.height }}>
      {ticks(span, lane).map((at) => (
        <span key={at} className="absolute inset-y-0 w-px bg-rule" style={{ left: x(at) }} />
      ))}
      {moments(load)
        .filter((m) => inside(m.at))
        .map((m) => (
          <span
            key={m.name}
            className="absolute inset-y-0 w-px bg-ink"
            style={{ left: x(m.at), opacity: m.name === 'FCP' || m.name === 'LCP' ? 1 : 0.4 }}
          />
        ))}
    </div>
  );
}

/** The cursor through all rows. It moves without drawing the rows anew. */
export function Cursor(props: {
  left: number;
  lane: number;
  span: Span;
  scroller: React.RefObject<HTMLDivElement | null>;
}) {
  const [at, setAt] = useState<number | null>(null);
  const { left, lane, span, scroller } = props;
  useEffect(() => {
    const element = scroller.current;
    if (!element) return;
    const move = (e: MouseEvent) => {
      const offset = e.clientX - element.getBoundingClientRect().left - left;
      setAt(offset >= 0 && offset <= lane ? offset : null);
    };
    const leave = () => setAt(null);
    element.addEventListener('mousemove', move);
    element.addEventListener('mouseleave', leave);
    return () => {
      element.removeEventListener('mousemove', move);
      element.removeEventListener('mouseleave', leave);
    };
  }, [scroller, left, lane]);
  if (at === null) return null;
  return (
    <div className="pointer-events-none absolute inset-y-0 w-px bg-accent" style={{ left: left + at }} aria-hidden>
      <span className="sticky top-0 ml-1 inline-block whitespace-nowrap bg-accent px-1 text-[11px] text-sheet">
        {ms(span.from + (at / lane) * (span.to - span.from))}
      </span>
    </div>
  );
}
