import { useCallback, useMemo } from 'react';
import { useSearchParams } from 'react-router';

/** A stretch of the load, in milliseconds from navigation start. */
export interface Span {
  from: number;
  to: number;
}

const SHORTEST = 2;

/** Keeps a span inside the load and long enough to see something. */
export function clampSpan(span: Span, end: number): Span {
  const length = Math.min(end, Math.max(SHORTEST, span.to - span.from));
  const from = Math.max(0, Math.min(span.from, end - length));
  return { from, to: from + length };
}

/** A span around a fixed moment, longer or shorter by a factor. */
export function zoomAt(span: Span, at: number, factor: number, end: number): Span {
  return clampSpan({ from: at - (at - span.from) * factor, to: at + (span.to - at) * factor }, end);
}

/** The stretch in view. It lives in the address, so that every section shows the same one. */
export function useSpan(end: number): [Span, (next: Span | null) => void] {
  const [params, setParams] = useSearchParams();
  const from = Number(params.get('from') ?? 0);
  const to = Number(params.get('to') ?? end);
  const span = useMemo(
    () =>
      Number.isFinite(from) && Number.isFinite(to) && to > from ? clampSpan({ from, to }, end) : { from: 0, to: end },
    [from, to, end],
  );
  const set = useCallback(
    (next: Span | null) =>
      setParams(
        () => {
          const after = new URLSearchParams(window.location.search);
          const whole = next === null || (next.from <= 0 && next.to >= end);
          if (whole) {
            after.delete('from');
            after.delete('to');
          } else {
            after.set('from', next.from.toFixed(1));
            after.set('to', next.to.toFixed(1));
          }
          return after;
        },
        { replace: true },
      ),
    [setParams, end],
  );
  return [span, set];
}
