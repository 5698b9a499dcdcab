import type { Lane, Tracks } from '../../api/tracks';
import type { Span } from '../../parts/useSpan';

export const ROW_HEIGHT = 16;
/** A letter of the labels is about this wide. */
const LETTER = 6.2;

export interface Paints {
  /** A colour for each kind of work, in the columns' order. */
  kinds: string[];
  sheet: string;
  ink: string;
  /** For text on a bar, by the columns' order of kinds. */
  onBar: string;
}

/** The first bar of a row that ends after a moment. */
function firstAfter(lane: Lane, row: Uint32Array, from: number): number {
  let low = 0;
  let high = row.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    const bar = row[middle] as number;
    if ((lane.start[bar] as number) + (lane.duration[bar] as number) < from) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** The first bar of a row that starts at a moment or later, searched from `low` on. */
function startingAt(lane: Lane, row: Uint32Array, at: number, low: number): number {
  let step = 1;
  let high = low;
  while (high < row.length && (lane.start[row[high] as number] as number) < at) {
    low = high + 1;
    high += step;
    step *= 2;
  }
  high = Math.min(high, row.length);
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((lane.start[row[middle] as number] as number) < at) low = middle + 1;
    else high = middle;
  }
  return low;
}

/**
 * Draws a lane's rows. What is narrower than a pixel is drawn once a pixel, and the search then skips
 * to the next pixel: the work depends on the picture's width, not on how many bars the load has.
 */
export function drawLane(
  context: CanvasRenderingContext2D,
  tracks: Tracks,
  lane: Lane,
  span: Span,
  width: number,
  top: number,
  rows: number,
  paints: Paints,
): void {
  const scale = width / (span.to - span.from);
  const pixel = 1 / scale;
  context.textBaseline = 'middle';
  for (let depth = 0; depth < Math.min(rows, lane.byRow.length); depth++) {
    const row = lane.byRow[depth] as Uint32Array;
    const y = top + depth * ROW_HEIGHT;
    let i = firstAfter(lane, row, span.from);
    let kind = -1;
    while (i < row.length) {
      const bar = row[i] as number;
      const start = lane.start[bar] as number;
      if (start > span.to) break;
      const duration = lane.duration[bar] as number;
      const barKind = lane.kind[bar] as number;
      if (barKind !== kind) {
        kind = barKind;
        context.fillStyle = paints.kinds[kind] ?? '#888';
      }
      const left = Math.max(0, (start - span.from) * scale);
      const right = Math.min(width, (start + duration - span.from) * scale);
      const wide = right - left;
      if (wide < 1) {
        const at = Math.floor(left);
        context.fillRect(at, y, 1, ROW_HEIGHT - 2);
        i = startingAt(lane, row, span.from + (at + 1) * pixel, i + 1);
        continue;
      }
      context.fillRect(left, y, Math.max(1, wide - 0.6), ROW_HEIGHT - 2);
      if (wide > 34) {
        const text = tracks.head.labels[lane.label[bar] as number]?.text ?? '';
        // Cut by its letters: clipping each bar would take most of the picture's time.
        const fits = Math.floor((wide - 6) / LETTER);
        if (text && fits > 2) {
          context.fillStyle = paints.onBar;
          context.fillText(
            text.length > fits ? `${text.slice(0, fits - 1)}…` : text,
            left + 3,
            y + ROW_HEIGHT / 2 - 0.5,
          );
          kind = -1;
        }
      }
      i++;
    }
  }
}

/** The bar at a place, if there is one. */
export function barAt(lane: Lane, depth: number, at: number, slack: number): number | null {
  const row = lane.byRow[depth];
  if (!row) return null;
  const i = firstAfter(lane, row, at - slack);
  const bar = row[i];
  if (bar === undefined) return null;
  return (lane.start[bar] as number) <= at + slack ? bar : null;
}
