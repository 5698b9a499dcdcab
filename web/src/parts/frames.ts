import type { Analysis } from '../api/queries';
import type { ScreenFrame } from '../api/types';

/** A picture's address names it by its hash, so that it never means another. */
export const frameUrl = (recording: number, load: number, { file, hash }: ScreenFrame) =>
  `/api/recordings/${recording}/loads/${load}/frames/${encodeURIComponent(file)}${hash ? `?is=${hash}` : ''}`;

/** The picture that was on the screen at a moment. */
export function frameAt(frames: ScreenFrame[], at: number): ScreenFrame | undefined {
  return frames.findLast((f) => f.at_ms <= at) ?? frames[0];
}

/** The first frame that shows the largest element. */
export function largestFrame(load: Analysis): ScreenFrame | undefined {
  const at = load.metrics.lcp_ms;
  return at === null ? undefined : (load.frames.find((f) => f.at_ms >= at - 1) ?? load.frames.at(-1));
}

/**
 * The marks of each of some frames: a paint or a shift is flagged on the first of them that shows it.
 */
export function frameFlags(load: Analysis, frames: (ScreenFrame | undefined)[]): string[][] {
  const marks: [string, number | null][] = [
    ['FCP', load.metrics.fcp_ms],
    ['LCP', load.metrics.lcp_ms],
    ...load.shifts
      .filter((s) => !s.had_recent_input && s.score >= 0.005)
      .map((s): [string, number] => ['shift', s.at_ms]),
  ];
  const flags = frames.map((): string[] => []);
  for (const [name, at] of marks) {
    if (at === null) continue;
    const first = frames.findIndex((f) => f && f.at_ms >= at - 1);
    const its = flags[first];
    if (its && !its.includes(name)) its.push(name);
  }
  return flags;
}
