import type { Rect, ScreenFrame } from '../api/types';
import { ms } from './format';
import { frameUrl } from './frames';

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
          src={frameUrl(props.recording, props.load, props.frame)}
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
