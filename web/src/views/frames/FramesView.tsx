import { useMemo } from 'react';
import { useSearchParams } from 'react-router';
import type { Analysis } from '../../api/queries';
import type { Rect, ShiftRow } from '../../api/types';
import { Ask } from '../../parts/Ask';
import { ms, plural } from '../../parts/format';
import { FrameLane } from '../../parts/FrameLane';
import { frameUrl, largestFrame } from '../../parts/frames';
import { NotKnown } from '../../parts/states';
import { ticks, timeEnd } from '../../parts/time';
import { SpanControls, TimeAxis, useWheelZoom } from '../../parts/TimeAxis';
import { useParam } from '../../parts/useParam';
import { useSpan, type Span } from '../../parts/useSpan';
import { useWidth } from '../../parts/useWidth';
import { useKeys, useSteps } from '../../shell/keys';
import { useReading } from '../../shell/reading';
import { Shifts } from './Shifts';

const CURVE = 64;

/** What was on the screen and when: frames, completeness, and what moved. */
export default function FramesView() {
  const { load, recording, number } = useReading();
  const [area, width] = useWidth<HTMLDivElement>(720);
  const end = timeEnd(load);
  const [span, setSpan] = useSpan(end);
  const [frameText, setFrame] = useParam('frame');
  const [shiftText] = useParam('shift');
  const [, setParams] = useSearchParams();
  const lane = Math.max(200, width - 40);
  const wheel = useWheelZoom<HTMLDivElement>(0, lane, end, setSpan);
  const { frames, shifts } = load;
  const largest = largestFrame(load);
  const usual = largest ? frames.indexOf(largest) : frames.length - 1;
  const at = frameText === '' ? usual : Math.max(0, Math.min(frames.length - 1, Number(frameText) || 0));
  const shift = shiftText === '' ? null : (shifts[Number(shiftText)] ?? null);
  const pick = (index: number) => {
    setFrame(String(Math.max(0, Math.min(frames.length - 1, index))));
  };
  // A shift is shown on the first frame that shows its outcome.
  const pickShift = (index: number | null) => {
    setParams(
      () => {
        const after = new URLSearchParams(window.location.search);
        const chosen = index === null ? undefined : shifts[index];
        if (chosen) {
          const shown = frames.findIndex((f) => f.at_ms >= chosen.at_ms - 20);
          after.set('shift', String(index));
          if (frames.length) after.set('frame', String(shown < 0 ? frames.length - 1 : shown));
        } else after.delete('shift');
        return after;
      },
      { replace: true },
    );
  };
  const step = useSteps(at, frames.length, pick);
  useKeys({ '[': () => step(-1), ']': () => step(1), '0': () => setSpan(null) });
  if (!frames.length) {
    return (
      <div className="px-5 py-4" ref={area}>
        <h1 className="text-[25px]">No pictures of the screen</h1>
        <NotKnown reasons={load.missing.filter((m) => m.subject === 'frames').map((m) => m.why)} />
        <Shifts load={load} shown={null} pick={() => undefined} />
      </div>
    );
  }
  const frame = frames[at];
  const index = load.metrics.speed_index_ms;
  // A phone's picture leaves room beside it; a laptop's does not.
  const isTall = recording.conditions?.mobile ?? false;
  const shiftTable = <Shifts load={load} shown={shift} pick={pickShift} />;
  return (
    <div className="px-5 pb-8 pt-2" ref={area}>
      <h1 className="text-[25px] leading-tight">{title(load)}</h1>
      <div className="flex items-center gap-4 text-[13.5px] text-ink-2">
        <p>
          {plural(frames.length, 'frame')}, each a picture that differs from the one before.{' '}
          {index !== null && (
            <>
              Speed Index{' '}
              <Ask how="The grey area above the curve: the integral of 1 − visual completeness. A frame’s completeness is how far its colour histogram has come from the first frame’s to the last one’s.">
                {ms(index)}
              </Ask>
              .
            </>
          )}
        </p>
        <span className="ml-auto" />
        <SpanControls span={span} end={end} onSpan={setSpan} />
      </div>
      <div ref={wheel} className="mt-3">
        <TimeAxis load={load} span={span} width={lane} end={end} onSpan={setSpan} />
        <Curve load={load} span={span} width={lane} at={at} pick={pick} />
        <div className="mt-1">
          <FrameLane
            load={load}
            recording={recording.id}
            number={number}
            span={span}
            width={lane}
            height={78}
            onPick={pick}
          />
        </div>
        <ShiftMarks load={load} span={span} width={lane} shown={shift} pick={pickShift} />
      </div>
      <div className="mt-4 flex items-start gap-6 border-t border-rule-strong pt-3">
        {frame && (
          <Picture
            load={load}
            source={frameUrl(recording.id, number, frame)}
            label={`The screen at ${ms(frame.at_ms)}`}
            changed={shift ? [] : frame.changed}
            shift={shift}
          />
        )}
        <div className="min-w-0 flex-1 text-[13px]">
          {frame && (
            <>
              <p className="flex items-center gap-2">
                <button className="btn !px-2" disabled={at === 0} onClick={() => pick(at - 1)}>
                  <span className="key">[</span> before
                </button>
                <button className="btn !px-2" disabled={at === frames.length - 1} onClick={() => pick(at + 1)}>
                  after <span className="key">]</span>
                </button>
                <span className="text-ink-2">
                  frame {at + 1} of {frames.length}
                </span>
              </p>
              <dl className="mt-2 max-w-[300px]">
                <Line name="on the screen from" value={ms(frame.at_ms)} />
                <Line name="until" value={frames[at + 1] ? ms(frames[at + 1]?.at_ms) : 'the end'} />
                <Line
                  name="complete"
                  value={frame.complete === null ? 'not known' : `${(frame.complete * 100).toFixed(0)} %`}
                />
                <Line
                  name="changed since the frame before"
                  value={
                    at === 0
                      ? 'the first one'
                      : `${(frame.changed.reduce((sum, b) => sum + b.width * b.height, 0) * 100).toFixed(0)} % of it`
                  }
                />
              </dl>
            </>
          )}
          {isTall && shiftTable}
        </div>
      </div>
      {!isTall && shiftTable}
    </div>
  );
}

function title(load: Analysis): string {
  const first = load.frames.find((f) => (f.complete ?? 0) > 0.02);
  const nearly = load.frames.find((f) => (f.complete ?? 0) >= 0.85);
  if (!first || !nearly) return 'What was on the screen';
  return `Something to see at ${ms(first.at_ms)}, nearly all of it at ${ms(nearly.at_ms)}`;
}

function Line({ name, value }: { name: string; value: string }) {
  return (
    <div className="flex justify-between gap-3 py-[1.5px]">
      <dt className="text-ink-2">{name}</dt>
      <dd>{value}</dd>
    </div>
  );
}

/** Visual completeness as steps; the area above it is Speed Index. */
function Curve(props: { load: Analysis; span: Span; width: number; at: number; pick: (index: number) => void }) {
  const { load, span, width } = props;
  const { frames } = load;
  const x = (at: number) => Math.max(0, Math.min(width, ((at - span.from) / (span.to - span.from)) * width));
  const y = (complete: number) => 4 + (1 - complete) * (CURVE - 8);
  const known = frames.every((f) => f.complete !== null);
  const path = useMemo(() => {
    let line = `M0 ${y(0)}`;
    let before = 0;
    for (const frame of frames) {
      if (frame.at_ms > span.to) break;
      line += `L${x(frame.at_ms).toFixed(1)} ${y(before).toFixed(1)}L${x(frame.at_ms).toFixed(1)} ${y(frame.complete ?? 0).toFixed(1)}`;
      before = frame.complete ?? 0;
    }
    return `${line}L${width} ${y(before).toFixed(1)}`;
    // x and y follow from these.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [frames, span, width]);
  if (!known) return <NotKnown reasons={load.missing.filter((m) => m.subject === 'completeness').map((m) => m.why)} />;
  const frame = frames[props.at];
  return (
    <svg
      width={width}
      height={CURVE}
      className="block cursor-pointer border-b border-rule"
      role="img"
      aria-label={`Visual completeness: ${frames.map((f) => `${((f.complete ?? 0) * 100).toFixed(0)} % at ${ms(f.at_ms)}`).join(', ')}`}
      onClick={(e) => {
        const offset = e.clientX - e.currentTarget.getBoundingClientRect().left;
        const time = span.from + (offset / width) * (span.to - span.from);
        props.pick(frames.findLastIndex((f) => f.at_ms <= time));
      }}
    >
      {ticks(span, width).map((t) => (
        <line key={t} x1={x(t)} x2={x(t)} y1={0} y2={CURVE} stroke="var(--rule)" />
      ))}
      <path d={`${path}L${width} ${y(1)}L0 ${y(1)}Z`} fill="var(--rule)" opacity={0.5} />
      <path d={path} fill="none" stroke="var(--ink)" strokeWidth="1.6" />
      {frame && (
        <circle
          cx={x(frame.at_ms)}
          cy={y(frame.complete ?? 0)}
          r={4}
          fill="var(--sheet)"
          stroke="var(--ink)"
          strokeWidth="2"
        />
      )}
      <text x={4} y={12} fontSize="11" fill="var(--ink-2)">
        complete
      </text>
    </svg>
  );
}

/** Shifts on the time axis, as high as they weigh. */
function ShiftMarks(props: {
  load: Analysis;
  span: Span;
  width: number;
  shown: ShiftRow | null;
  pick: (index: number) => void;
}) {
  const { load, span, width } = props;
  if (!load.shifts.length) return null;
  const x = (at: number) => ((at - span.from) / (span.to - span.from)) * width;
  const most = Math.max(...load.shifts.map((s) => s.score));
  return (
    <svg width={width} height={26} className="mt-1 block overflow-visible border-b border-rule" aria-hidden>
      {load.shifts.map((s, i) =>
        s.at_ms < span.from || s.at_ms > span.to ? null : (
          <g key={i} className="cursor-pointer" onClick={() => props.pick(i)}>
            <rect x={x(s.at_ms) - 6} y={0} width={12} height={26} fill="transparent" />
            <path
              d={`M${x(s.at_ms) - 4} 26L${x(s.at_ms)} ${26 - Math.max(4, (s.score / most) * 22)}L${x(s.at_ms) + 4} 26Z`}
              fill={s === props.shown ? 'var(--ink)' : 'var(--ink-2)'}
            />
          </g>
        ),
      )}
      <text x={4} y={10} fontSize="11" fill="var(--ink-2)">
        shifts
      </text>
    </svg>
  );
}

/** A frame, large, with what changed in it or what a shift moved. */
function Picture(props: { load: Analysis; source: string; label: string; changed: Rect[]; shift: ShiftRow | null }) {
  const viewport = props.load.conditions ?? { width: 1280, height: 800 };
  const portrait = viewport.height > viewport.width;
  const height = portrait ? 460 : 290;
  const percent = (v: number) => `${(v * 100).toFixed(2)}%`;
  const inView = (b: Rect) => ({
    left: percent(b.x / viewport.width),
    top: percent(b.y / viewport.height),
    width: percent(b.width / viewport.width),
    height: percent(b.height / viewport.height),
  });
  return (
    <span
      className="relative block shrink-0 overflow-hidden border border-rule-strong bg-white"
      style={{ height, width: (height * viewport.width) / viewport.height }}
    >
      <img src={props.source} alt={props.label} className="block h-full w-full object-cover object-top" />
      {props.changed.map((b, i) => (
        <span
          key={i}
          aria-hidden
          className="absolute border border-dashed border-[#2f4b8f]"
          style={{ left: percent(b.x), top: percent(b.y), width: percent(b.width), height: percent(b.height) }}
        />
      ))}
      {props.shift?.moved.map((m, i) => (
        <span key={i} aria-hidden>
          <span className="absolute border-2 border-dotted border-[#56657a]" style={inView(m.before)} />
          <span className="absolute border-2 border-[#a8325e]" style={inView(m.after)} />
        </span>
      ))}
    </span>
  );
}
