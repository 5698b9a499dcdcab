import { useCallback, useEffect, useRef, useState } from 'react';
import type { Analysis } from '../api/queries';
import { ms } from './format';
import { moments, tickLabels, ticks } from './time';
import { clampSpan, moveBy, zoomAt, zoomBy, type SetSpan, type Span } from './useSpan';

/**
 * Times along the top, and flags that hang from the rule at the vital moments. Dragging over it shows
 * that stretch; a double click shows all again.
 */
export function TimeAxis(props: { load: Analysis; span: Span; width: number; end?: number; onSpan?: SetSpan }) {
  const { load, span, width, onSpan } = props;
  const [drag, setDrag] = useState<[number, number] | null>(null);
  const x = (at: number) => ((at - span.from) / (span.to - span.from)) * width;
  const time = (offset: number) => span.from + (offset / width) * (span.to - span.from);
  // Flags that would cover each other hang lower.
  let right = -100;
  let row = 0;
  const flags = moments(load)
    .filter((m) => m.at >= span.from && m.at <= span.to)
    .map((moment) => {
      const left = Math.min(x(moment.at), width - 34);
      row = left < right + 4 ? row + 1 : 0;
      right = left + 34;
      return { ...moment, left: x(moment.at), row };
    });
  // High enough for the lowest flag.
  const height = Math.max(54, 34 + 12 * Math.max(0, ...flags.map((f) => f.row)));
  const offset = (e: React.PointerEvent) => e.clientX - e.currentTarget.getBoundingClientRect().left;
  return (
    <svg
      width={width}
      height={height}
      className={`block select-none overflow-visible ${onSpan ? 'cursor-col-resize' : ''}`}
      aria-hidden
      onPointerDown={(e) => {
        if (!onSpan) return;
        e.currentTarget.setPointerCapture(e.pointerId);
        setDrag([offset(e), offset(e)]);
      }}
      onPointerMove={(e) => drag && setDrag([drag[0], offset(e)])}
      onPointerUp={() => {
        if (drag && onSpan && Math.abs(drag[1] - drag[0]) > 5) {
          const [a, b] = drag[0] < drag[1] ? drag : [drag[1], drag[0]];
          onSpan(clampSpan({ from: time(a), to: time(b) }, props.end ?? span.to));
        }
        setDrag(null);
      }}
      onDoubleClick={() => onSpan?.(null)}
    >
      <rect x={0} y={0} width={width} height={height} fill="transparent" />
      {ticks(span, width).map((at) => (
        <line key={at} x1={x(at)} x2={x(at)} y1={14} y2={height} stroke="var(--rule)" />
      ))}
      {tickLabels(span, width).map(({ at, text, anchor }) => (
        <text key={at} x={x(at)} y={10} fontSize="11" fill="var(--ink-2)" textAnchor={anchor}>
          {text}
        </text>
      ))}
      <line x1={0} x2={width} y1={16} y2={16} stroke="var(--rule-strong)" />
      {/* All lines first: none runs through another's flag. */}
      {flags.map(({ name, left }) => (
        <line key={name} x1={left} x2={left} y1={16} y2={height} stroke="var(--ink)" strokeWidth="1.2" />
      ))}
      {flags.map((flag) => {
        const turned = flag.left > width - 36;
        return (
          <g key={flag.name} transform={`translate(${flag.left} ${18 + flag.row * 12})`}>
            <rect x={turned ? -32 : 0} y={0} width={32} height={12} fill="var(--ink)" />
            <text x={turned ? -16 : 16} y={9.4} fontSize="9.5" fontWeight="600" textAnchor="middle" fill="var(--sheet)">
              {flag.name}
            </text>
          </g>
        );
      })}
      {drag && (
        <rect
          x={Math.min(...drag)}
          y={0}
          width={Math.abs(drag[1] - drag[0])}
          height={height}
          fill="var(--accent)"
          opacity={0.18}
        />
      )}
    </svg>
  );
}

/** Which stretch is shown, and the ways to change it without a mouse. */
export function SpanControls({ span, end, onSpan }: { span: Span; end: number; onSpan: SetSpan }) {
  const whole = span.from <= 0 && span.to >= end;
  const move = (share: number) => onSpan((now) => moveBy(now, share, end));
  return (
    <span
      className="flex items-center gap-0.5 whitespace-nowrap text-[12.5px] text-ink-2"
      role="group"
      aria-label="Stretch of time shown"
    >
      <span className="mr-1" aria-live="polite">
        {whole ? 'the whole load' : `${ms(span.from)} to ${ms(span.to)}`}
      </span>
      <button
        className="btn btn-quiet !px-1.5"
        aria-label="Earlier"
        disabled={span.from <= 0}
        onClick={() => move(-0.4)}
      >
        ‹
      </button>
      <button className="btn btn-quiet !px-1.5" aria-label="Later" disabled={span.to >= end} onClick={() => move(0.4)}>
        ›
      </button>
      <button
        className="btn btn-quiet !px-1.5"
        aria-label="Closer"
        onClick={() => onSpan((now) => zoomBy(now, 0.5, end))}
      >
        +
      </button>
      <button
        className="btn btn-quiet !px-1.5"
        aria-label="Farther"
        disabled={whole}
        onClick={() => onSpan((now) => zoomBy(now, 2, end))}
      >
        −
      </button>
      <button className="btn btn-quiet !px-1.5" disabled={whole} onClick={() => onSpan(null)}>
        all
      </button>
    </span>
  );
}

/** Turning the wheel with Ctrl over an element zooms, as in maps; without it the page scrolls. */
export function useWheelZoom<T extends HTMLElement>(left: number, width: number, end: number, onSpan: SetSpan) {
  const latest = useRef({ left, width, end, onSpan });
  useEffect(() => {
    latest.current = { left, width, end, onSpan };
  });
  return useCallback((element: T | null) => {
    if (!element) return;
    const onWheel = (e: WheelEvent) => {
      if (!e.ctrlKey && !e.metaKey) return;
      e.preventDefault();
      const now = latest.current;
      const at = (e.clientX - element.getBoundingClientRect().left - now.left) / now.width;
      now.onSpan((span) => {
        const time = span.from + Math.max(0, Math.min(1, at)) * (span.to - span.from);
        return zoomAt(span, time, Math.exp(e.deltaY * 0.002), now.end);
      });
    };
    element.addEventListener('wheel', onWheel, { passive: false });
    return () => element.removeEventListener('wheel', onWheel);
  }, []);
}
