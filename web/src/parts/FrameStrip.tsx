import type { Analysis, Rect, ScreenFrame } from '../api/types';
import { ms } from './format';

export const frameUrl = (recording: number, load: number, file: string) =>
  `/api/recordings/${recording}/loads/${load}/frames/${encodeURIComponent(file)}`;

/** The picture that was on the screen at a moment. */
export function frameAt(frames: ScreenFrame[], at: number): ScreenFrame | undefined {
  return frames.findLast((f) => f.at_ms <= at) ?? frames[0];
}

/** The first frame that shows the largest element; the screen's own clock may be a few ms early. */
export function largestFrame(load: Analysis): ScreenFrame | undefined {
  const at = load.metrics.lcp_ms;
  return at === null ? undefined : (load.frames.find((f) => f.at_ms >= at - 40) ?? load.frames.at(-1));
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
}) {
  const { viewport, outline } = props;
  const per = (value: number, of: number) => `${Math.max(0, Math.min(100, (value / of) * 100))}%`;
  const bottom = outline ? Math.min(outline.y + outline.height, viewport.height) : 0;
  const right = outline ? Math.min(outline.x + outline.width, viewport.width) : 0;
  return (
    <span
      className="relative block overflow-hidden border border-rule-strong bg-white"
      style={{ height: props.height, width: (props.height * viewport.width) / viewport.height }}
    >
      <img
        src={frameUrl(props.recording, props.load, props.frame.file)}
        alt={props.label ?? `The screen at ${ms(props.frame.at_ms)}`}
        className="block h-full w-full object-cover object-top"
        loading="lazy"
      />
      {outline && outline.y < viewport.height && (
        <span
          className="absolute border-2"
          style={{
            borderColor: 'var(--past)',
            left: per(Math.max(0, outline.x), viewport.width),
            top: per(Math.max(0, outline.y), viewport.height),
            width: per(right - Math.max(0, outline.x), viewport.width),
            height: per(bottom - Math.max(0, outline.y), viewport.height),
          }}
          aria-hidden
        />
      )}
    </span>
  );
}
