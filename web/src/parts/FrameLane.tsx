import type { Analysis } from '../api/queries';
import { frameAt, frameFlags } from './frames';
import { Frame } from './FrameStrip';
import type { Span } from './useSpan';

/** Pictures of the screen along the time axis: what stood there in the middle of each place. */
export function FrameLane(props: {
  load: Analysis;
  recording: number;
  number: number;
  span: Span;
  width: number;
  height?: number;
  onPick?: (index: number) => void;
}) {
  const { load, span, width, height = 46 } = props;
  const viewport = load.conditions ?? { width: 1280, height: 800 };
  const frameWidth = (height * viewport.width) / viewport.height;
  const count = Math.max(2, Math.floor(width / (frameWidth + 10)));
  if (!load.frames.length) return null;
  const shown = Array.from({ length: count }, (_, i) =>
    frameAt(load.frames, span.from + ((span.to - span.from) * (i + 0.5)) / count),
  );
  const flags = frameFlags(load, shown);
  return (
    <span className="flex justify-between pt-[13px]" style={{ width }}>
      {shown.map((frame, i) => {
        if (!frame) return null;
        const picture = (
          <Frame
            recording={props.recording}
            load={props.number}
            frame={frame}
            viewport={viewport}
            height={height}
            flags={flags[i] ?? []}
          />
        );
        return props.onPick ? (
          <button key={i} onClick={() => props.onPick?.(load.frames.indexOf(frame))}>
            {picture}
          </button>
        ) : (
          <span key={i}>{picture}</span>
        );
      })}
    </span>
  );
}
