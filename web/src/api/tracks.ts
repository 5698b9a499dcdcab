import type { TracksHead } from './types';

/** Bars of one lane as columns, in order of their start. */
export interface Lane {
  start: Float64Array;
  duration: Float32Array;
  label: Uint32Array;
  depth: Uint8Array;
  kind: Uint8Array;
  /** How many rows the deepest bar needs. */
  rows: number;
  /** For each row the bars in it, in order of start. */
  byRow: Uint32Array[];
}

export interface Tracks {
  head: TracksHead;
  tasks: Lane;
  stacks: Lane;
}

/** Reads what the server writes: a head as JSON, then two lanes of columns (see `tracks.rs`). */
export function readTracks(bytes: ArrayBuffer): Tracks {
  const length = new DataView(bytes).getUint32(0, true);
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(bytes, 4, length))) as TracksHead;
  let at = 4 + length;
  const lane = (count: number): Lane => {
    const start = new Float64Array(bytes, at, count);
    at += count * 8;
    const duration = new Float32Array(bytes, at, count);
    at += count * 4;
    const label = new Uint32Array(bytes, at, count);
    at += count * 4;
    const depth = new Uint8Array(bytes, at, count);
    at += count;
    const kind = new Uint8Array(bytes, at, count);
    at += count;
    at += (8 - (at % 8)) % 8;
    const counts: number[] = [];
    for (let i = 0; i < count; i++) counts[depth[i] as number] = (counts[depth[i] as number] ?? 0) + 1;
    const byRow = Array.from(counts, (n) => new Uint32Array(n ?? 0));
    const filled = byRow.map(() => 0);
    for (let i = 0; i < count; i++) {
      const row = depth[i] as number;
      (byRow[row] as Uint32Array)[filled[row] as number] = i;
      filled[row] = (filled[row] as number) + 1;
    }
    return { start, duration, label, depth, kind, rows: byRow.length, byRow };
  };
  return { head, tasks: lane(head.tasks), stacks: lane(head.stacks) };
}
