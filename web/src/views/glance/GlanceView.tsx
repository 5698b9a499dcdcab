import { useState } from 'react';
import type { Analysis } from '../../api/queries';
import type { MetricRow, RecordingHead } from '../../api/types';
import { Ask } from '../../parts/Ask';
import { bytes, KINDS, METRICS, metricText, ms, plural } from '../../parts/format';
import { frameAt, frameFlags, largestFrame } from '../../parts/frames';
import { Frame } from '../../parts/FrameStrip';
import { RatedBar } from '../../parts/RatedBar';
import { NotKnown } from '../../parts/states';
import { timeEnd } from '../../parts/time';
import { useKeys } from '../../shell/keys';
import { ownerKey } from '../../parts/names';
import { useReading } from '../../shell/reading';
import { headline, subline } from './words';

const TEXT = { within: 'text-within', near: 'text-near', past: 'text-past' } as const;

export default function GlanceView() {
  const { recording, load, number } = useReading();
  const rows = recording.summary?.rows ?? [];
  return (
    <div className="px-5 pb-8 pt-2">
      <h1 className="text-[25px] leading-tight">{headline(recording)}</h1>
      <p className="text-[13.5px] text-ink-2">{subline(recording)}</p>
      <div className="mt-2 border-t border-rule">
        {rows.map((row) => (
          <RulerRow
            key={row.metric}
            row={row}
            again={recording.summary?.return_rows.find((r) => r.metric === row.metric)}
          />
        ))}
      </div>
      {rows.length === 0 && <NotKnown reasons={load.missing.map((m) => m.why)} />}
      <Frames load={load} recording={recording} number={number} />
      <Weights load={load} />
      <Foot load={load} recording={recording} />
    </div>
  );
}

function RulerRow({ row, again }: { row: MetricRow; again: MetricRow | undefined }) {
  const { short, words, how } = METRICS[row.metric];
  const over =
    row.rating === 'past'
      ? `past by ${metricText(row.metric, row.median - row.limit)}`
      : row.rating === 'near'
        ? 'near'
        : 'within';
  const each = row.values.map((v) => (v === null ? 'not known' : metricText(row.metric, v))).join(', ');
  return (
    <div className="grid grid-cols-[150px_110px_minmax(0,1fr)] items-center gap-6 border-b border-rule">
      <div>
        <span className="font-semibold">{short}</span>
        <span className="block text-[12px] leading-tight text-ink-2">{words}</span>
      </div>
      <div className="text-right">
        <Ask
          className="font-serif text-[21px] leading-[1.15]"
          how={
            <>
              {how} Median of: {each}. Target {metricText(row.metric, row.target)}, limit{' '}
              {metricText(row.metric, row.limit)}.
              {again && ` Return visits: ${metricText(again.metric, again.median)}.`}
            </>
          }
        >
          {metricText(row.metric, row.median)}
        </Ask>
        <span className={`block text-[12px] font-semibold leading-tight ${TEXT[row.rating]}`}>{over}</span>
      </div>
      <RatedBar {...row} again={again?.median} />
    </div>
  );
}

function Frames({ load, recording, number }: { load: Analysis; recording: RecordingHead; number: number }) {
  const [picked, setPicked] = useState<number | null>(null);
  const { frames } = load;
  const viewport = load.conditions ?? { width: 1280, height: 800 };
  const largest = largestFrame(load);
  const end = Math.min(timeEnd(load), Math.max((load.metrics.lcp_ms ?? 0) * 1.05, frames.at(-1)?.at_ms ?? 0));
  const portrait = viewport.height > viewport.width;
  const count = portrait ? 9 : 6;
  // Evenly in time, as the visitor saw it, and always the frame that shows the largest element.
  const times = Array.from({ length: count }, (_, i) => (end * i) / (count - 1));
  if (load.metrics.lcp_ms !== null && largest) {
    const nearest = times.reduce(
      (best, t, i) => (Math.abs(t - largest.at_ms) < Math.abs((times[best] ?? 0) - largest.at_ms) ? i : best),
      0,
    );
    times[nearest] = largest.at_ms;
  }
  useKeys({
    '[': () => setPicked((p) => Math.max(0, (p ?? frames.length) - 1)),
    ']': () => setPicked((p) => Math.min(frames.length - 1, (p ?? -1) + 1)),
  });
  if (!frames.length) {
    return <NotKnown reasons={load.missing.filter((m) => m.subject === 'frames').map((m) => m.why)} />;
  }
  const outline = load.lcp?.rect ?? null;
  const shown = picked === null ? null : frames[picked];
  const row = times.map((at) => frameAt(frames, at));
  const flags = frameFlags(load, row);
  return (
    <section className="mt-4" aria-label="Frames">
      <div className="flex items-end gap-3 overflow-x-auto pb-1 pt-[14px]">
        {times.map((at, i) => {
          const frame = row[i];
          if (!frame) return null;
          const isLargest = frame === largest && at >= (largest?.at_ms ?? Infinity);
          return (
            <button
              key={i}
              className="text-center text-[12px] text-ink-2"
              onClick={() => setPicked(frames.indexOf(frame))}
            >
              <Frame
                recording={recording.id}
                load={number}
                frame={frame}
                viewport={viewport}
                height={portrait ? 132 : 92}
                outline={isLargest ? outline : null}
                flags={flags[i] ?? []}
                label={`The screen at ${ms(at)}${isLargest ? ', the largest element outlined' : ''}`}
              />
              {isLargest ? (
                <strong className="text-ink">{(at / 1000).toFixed(2)} s</strong>
              ) : (
                `${(at / 1000).toFixed(1)} s`
              )}
            </button>
          );
        })}
      </div>
      {shown && (
        <div className="mt-2 flex items-start gap-4 border-t border-rule pt-3">
          <Frame
            recording={recording.id}
            load={number}
            frame={shown}
            viewport={viewport}
            height={portrait ? 420 : 300}
            outline={largest && shown.at_ms >= largest.at_ms ? outline : null}
          />
          <div className="text-[13px]">
            <p className="subhead">
              Frame {(picked ?? 0) + 1} of {frames.length}
            </p>
            <p>on the screen from {ms(shown.at_ms)}</p>
            <p className="mt-2 text-ink-2">
              <span className="key">[</span> <span className="key">]</span> step through them
            </p>
            <button className="btn mt-3" onClick={() => setPicked(null)}>
              Close
            </button>
          </div>
        </div>
      )}
    </section>
  );
}

function Weights({ load }: { load: Analysis }) {
  const { select } = useReading();
  const total = load.metrics.transferred_bytes;
  if (!total) return null;
  const owners = load.owners
    .filter((o) => o.transferred_bytes > 0)
    .sort((a, b) => b.transferred_bytes - a.transferred_bytes);
  const head = owners.slice(0, 5);
  const rest = owners.slice(5).reduce((sum, o) => sum + o.transferred_bytes, 0);
  const percent = (n: number) => `${((n / total) * 100).toFixed(n / total < 0.01 ? 1 : 0)} %`;
  return (
    <section className="mt-4 grid grid-cols-2 gap-6 border-t border-rule-strong pt-3" aria-label="Weight">
      <div>
        <p className="subhead">
          <Ask how="Bytes over the line of all requests, headers included, as the browser counted them.">
            {bytes(total)}
          </Ask>{' '}
          in {plural(load.metrics.requests, 'request')}, by kind
        </p>
        <div
          className="mt-1.5 flex h-3 gap-px"
          role="img"
          aria-label={load.weight.map((w) => `${KINDS[w.kind].words} ${percent(w.transferred_bytes)}`).join(', ')}
        >
          {load.weight.map((w) => (
            <span key={w.kind} style={{ flexGrow: w.transferred_bytes, background: KINDS[w.kind].color }} />
          ))}
        </div>
        <p className="mt-1.5 flex flex-wrap gap-x-3 text-[12.5px]">
          {load.weight
            .filter((w) => w.transferred_bytes > 0)
            .map((w) => (
              <span key={w.kind} className="whitespace-nowrap">
                <span className="mr-1.5 inline-block h-2 w-2" style={{ background: KINDS[w.kind].color }} aria-hidden />
                {KINDS[w.kind].words} {percent(w.transferred_bytes)}
              </span>
            ))}
        </p>
      </div>
      <div>
        <p className="subhead">by owner</p>
        <div
          className="mt-1.5 flex h-3 gap-px"
          role="img"
          aria-label={head.map((o) => `${o.name} ${percent(o.transferred_bytes)}`).join(', ')}
        >
          {head.map((o, i) => (
            <span
              key={ownerKey(o)}
              style={{ flexGrow: o.transferred_bytes, background: 'var(--document)', opacity: 1 - i * 0.16 }}
            />
          ))}
          {rest > 0 && <span style={{ flexGrow: rest, background: 'var(--rule)' }} />}
        </div>
        <p className="mt-1.5 flex flex-wrap gap-x-3 text-[12.5px]">
          {head.map((o) => (
            <button
              key={ownerKey(o)}
              className="whitespace-nowrap hover:text-accent"
              onClick={() => select({ kind: 'owner', owner: ownerKey(o) })}
            >
              {o.name} {percent(o.transferred_bytes)}
            </button>
          ))}
          {rest > 0 && <span>others {percent(rest)}</span>}
        </p>
      </div>
    </section>
  );
}

function Foot({ load, recording }: { load: Analysis; recording: RecordingHead }) {
  const pace = recording.summary?.pace;
  const { machine } = recording;
  const told = load.observed;
  return (
    <section className="mt-4 flex items-start gap-8 border-t border-rule-strong pt-3 text-[13px]">
      {pace !== null && pace !== undefined && (
        <div className="shrink-0">
          <span className="subhead block">Pace</span>
          <Ask
            className="font-serif text-[34px] leading-none"
            how={`Mean of the utilities of ${load.metrics.pace_of.map((m) => METRICS[m].short).join(', ')}, weighted; what was not measured is left out with its weight. For a trend and a headline, not for choosing fixes.`}
          >
            {pace.toFixed(0)}
          </Ask>
          <span className="text-ink-2"> of 100</span>
        </div>
      )}
      <div className="text-ink-2">
        <p>
          {[
            load.metrics.dom_content_loaded_ms !== null &&
              `DOMContentLoaded ${ms(load.metrics.dom_content_loaded_ms)}.`,
            load.metrics.load_ms !== null && `Load event ${ms(load.metrics.load_ms)}.`,
            load.browser && `${load.browser}.`,
            machine && `Recorded on ${plural(machine.cores, 'core')}.`,
            machine &&
              machine.load_average !== null &&
              `Load average ${machine.load_average.toFixed(2)} before the first load.`,
            machine &&
              machine.calibration_ms !== null &&
              `A fixed calculation took ${ms(machine.calibration_ms)} on it.`,
          ]
            .filter(Boolean)
            .join(' ')}
        </p>
        {told?.lcp_ms !== null && told?.lcp_ms !== undefined && (
          <p>
            The page’s own observer was told LCP {ms(told.lcp_ms)}, FCP {ms(told.fcp_ms)}, CLS{' '}
            {told.cls === null ? 'nothing' : told.cls.toFixed(3)} (rounded by the browser)
            {told.lcp_paint_ms !== null && told.lcp_presentation_ms !== null
              ? `; it had painted the largest at ${ms(told.lcp_paint_ms)} and shown it at ${ms(told.lcp_presentation_ms)}`
              : ''}
            .
            {load.metrics.cls_main_frame !== null &&
              load.metrics.cls !== null &&
              load.metrics.cls - load.metrics.cls_main_frame > 0.0005 &&
              ` Without inner frames CLS is ${load.metrics.cls_main_frame.toFixed(3)}, which is all that the observer sees.`}
          </p>
        )}
        {load.notes.map((note) => (
          <p key={note}>{note}</p>
        ))}
        <NotKnown reasons={load.missing.filter((m) => m.subject !== 'frames').map((m) => m.why)} />
      </div>
    </section>
  );
}
