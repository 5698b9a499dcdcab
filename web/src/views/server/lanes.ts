import type { Owner, ServerAnswer, SpanKind, SpanRow } from '../../api/types';
import { ownerKey } from '../../parts/names';
import { SPAN_ORDER } from './words';

/** A stretch of a lane in one kind of work. */
export interface Stretch {
  kind: SpanKind;
  from: number;
  to: number;
}

/** The spans of one owner. */
export interface Lane {
  key: string;
  owner: Owner;
  spans: SpanRow[];
}

/** A lane for each owner, in the order in which they begin. */
export function lanes(answer: ServerAnswer): Lane[] {
  const found = new Map<string, Lane>();
  for (const span of answer.spans) {
    if (span.kind === 'answer') continue;
    const key = ownerKey(span.owner);
    const lane = found.get(key) ?? { key, owner: span.owner, spans: [] };
    lane.spans.push(span);
    found.set(key, lane);
  }
  return [...found.values()];
}

/**
 * What to draw of spans: the inner over the outer, those that would be narrower than a pixel joined to their
 * neighbours of the same kind, so that the work depends on the picture's width and not on how many there are.
 */
export function stretches(spans: SpanRow[], pixel: number): Stretch[] {
  const drawn: Stretch[] = [];
  for (const kind of [...SPAN_ORDER].reverse()) {
    const own = spans.filter((s) => s.kind === kind).sort((a, b) => a.start_ms - b.start_ms || a.depth - b.depth);
    let open: Stretch | null = null;
    for (const span of own) {
      const [from, to] = [span.start_ms, span.start_ms + Math.max(span.duration_ms, pixel)];
      if (open && from <= open.to + pixel && (to - from < 3 * pixel || from < open.to)) {
        open.to = Math.max(open.to, to);
      } else {
        open = { kind, from, to };
        drawn.push(open);
      }
    }
  }
  return drawn;
}

/** From when to when an answer is drawn: its wait, and its spans where they go beyond. */
export function extent(answer: ServerAnswer): { from: number; to: number } {
  const starts = answer.spans.map((s) => s.start_ms);
  const ends = answer.spans.filter((s) => s.depth < 2).map((s) => s.start_ms + s.duration_ms);
  const from = Math.min(answer.sent_ms ?? Infinity, ...starts.slice(0, 1));
  const to = Math.max(answer.first_byte_ms ?? -Infinity, ...ends);
  return Number.isFinite(from) && Number.isFinite(to) && to > from ? { from, to } : { from: 0, to: 1 };
}
