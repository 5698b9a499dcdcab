import type { Analysis } from '../api/queries';
import type { Rect, ScreenFrame } from '../api/types';
import { ms } from './format';

export const frameUrl = (recording: number, load: number, file: string) =>
  `/api/recordings/${recording}/loads/${load}/frames/${encodeURIComponent(file)}`;

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

/** A frame with the largest element outlined on it. */
export function Frame(props: {
  recording: number;
  load: number;
  frame: ScreenFrame;
  viewport: { width: number; height: number };
  outline?: Rect | null | undefined;
  height: number;
  label?: string | undefined;
  /** Names of what this frame is the first to show; they hang above it as on the time axis. */
  flags?: string[];
}) {
  const { viewport, outline } = props;
  const per = (value: number, of: number) => `${Math.max(0, Math.min(100, (value / of) * 100))}%`;
  const bottom = outline ? Math.min(outline.y + outline.height, viewport.height) : 0;
  const right = outline ? Math.min(outline.x + outline.width, viewport.width) : 0;
  const width = (props.height * viewport.width) / viewport.height;
  return (
    <span className="relative block" style={{ height: props.height, width }}>
      {props.flags && props.flags.length > 0 && (
        <span className="absolute -top-[13px] left-0 whitespace-nowrap bg-ink px-1 text-[9.5px] font-semibold leading-[12px] text-sheet">
          {props.flags.join(', ')}
        </span>
      )}
      <span className="relative block h-full overflow-hidden border border-rule-strong bg-white">
        <img
          src={frameUrl(props.recording, props.load, props.frame.file)}
          alt={props.label ?? `The screen at ${ms(props.frame.at_ms)}`}
          className="block h-full w-full object-cover object-top"
          loading="lazy"
        />
        {outline && outline.y < viewport.height && (
          <span
            className="absolute border border-dashed border-ink outline outline-1 outline-sheet"
            style={{
              left: per(Math.max(0, outline.x), viewport.width),
              top: per(Math.max(0, outline.y), viewport.height),
              width: per(right - Math.max(0, outline.x), viewport.width),
              height: per(bottom - Math.max(0, outline.y), viewport.height),
            }}
            aria-hidden
          />
        )}
      </span>
    </span>
  );
}
