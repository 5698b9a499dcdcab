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

/** A span moved by a share of its own length. */
export function moveBy(span: Span, share: number, end: number): Span {
  const by = (span.to - span.from) * share;
  return clampSpan({ from: span.from + by, to: span.to + by }, end);
}

/** A span around its own middle, longer or shorter by a factor. */
export const zoomBy = (span: Span, factor: number, end: number) => zoomAt(span, (span.from + span.to) / 2, factor, end);

/** The stretch that an address names; the whole load where it names none. */
function spanIn(params: URLSearchParams, end: number): Span {
  const from = Number(params.get('from') ?? 0);
  const to = Number(params.get('to') ?? end);
  return Number.isFinite(from) && Number.isFinite(to) && to > from
    ? clampSpan({ from, to }, end)
    : { from: 0, to: end };
}

/** Shows a stretch, the whole load (`null`), or what follows from the one that is shown: keys and wheels come faster than the screen is drawn. */
export type SetSpan = (next: Span | null | ((now: Span) => Span)) => void;

/** The stretch in view. It lives in the address, so that every section shows the same one. */
export function useSpan(end: number): [Span, SetSpan] {
  const [params, setParams] = useSearchParams();
  const [from, to] = [params.get('from'), params.get('to')];
  const span = useMemo(
    () => spanIn(new URLSearchParams({ ...(from && { from }), ...(to && { to }) }), end),
    [from, to, end],
  );
  const set: SetSpan = useCallback(
    (next) =>
      setParams(
        () => {
          const after = new URLSearchParams(window.location.search);
          const wanted = typeof next === 'function' ? next(spanIn(after, end)) : next;
          if (wanted === null || (wanted.from <= 0 && wanted.to >= end)) {
            after.delete('from');
            after.delete('to');
          } else {
            after.set('from', wanted.from.toFixed(1));
            after.set('to', wanted.to.toFixed(1));
          }
          return after;
        },
        { replace: true },
      ),
    [setParams, end],
  );
  return [span, set];
}
