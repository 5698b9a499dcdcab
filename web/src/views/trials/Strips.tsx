import { useState } from 'react';
import { useLoad, useRecording } from '../../api/queries';
import { metricText, ms } from '../../parts/format';
import { FrameLane } from '../../parts/FrameLane';
import { frameUrl } from '../../parts/frames';
import { useWidth } from '../../parts/useWidth';

/** The load that stands for a recording, once it is there. */
function useStanding(id: number | null) {
  const recording = useRecording(id ?? 0, id !== null);
  const number = recording.data?.summary?.representative;
  const load = useLoad(id ?? 0, id === null ? undefined : number);
  return load.data && number !== undefined ? { id: id as number, number, load: load.data } : null;
}

/** Both loads' pictures on one time axis, and the legs of both paths. */
export function Strips({
  replay,
  tried,
  names = ['without', 'with'],
}: {
  replay: number | null;
  tried: number | null;
  names?: [string, string];
}) {
  const a = useStanding(replay);
  const b = useStanding(tried);
  const [box, width] = useWidth<HTMLDivElement>();
  const [chosen, choose] = useState<number | null>(null);
  if (!a || !b) return null;
  const last = (load: typeof a.load) => Math.max(load.metrics.lcp_ms ?? 0, load.frames.at(-1)?.at_ms ?? 0);
  const to = Math.max(last(a.load), last(b.load), 1000) * 1.04;
  const wide = Math.max(200, width - 110);
  // Where the one is there and the other not yet.
  const now = Math.min(chosen ?? Math.min(a.load.metrics.lcp_ms ?? to, b.load.metrics.lcp_ms ?? to), to);
  return (
    <section className="mt-7" aria-label="Both loads on one time axis">
      <h2 className="text-[18px]">Side by side</h2>
      <div ref={box} className="mt-2 max-w-[1100px]">
        {[
          { name: names[0], side: a },
          { name: names[1], side: b },
        ].map(({ name, side }) => (
          <div key={name} className="grid grid-cols-[100px_minmax(0,1fr)] items-center gap-2 border-t border-rule py-1">
            <span className="text-[13px]">
              {name}
              <span className="block text-[12px] text-ink-2">LCP {ms(side.load.metrics.lcp_ms)}</span>
            </span>
            <span className="relative">
              <FrameLane
                load={side.load}
                recording={side.id}
                number={side.number}
                span={{ from: 0, to }}
                width={wide}
                height={74}
              />
              <Path side={side} to={to} width={wide} />
              <span
                className="pointer-events-none absolute inset-y-0 w-px bg-past"
                style={{ left: (now / to) * wide }}
                aria-hidden
              />
            </span>
          </div>
        ))}
        <div className="grid grid-cols-[100px_minmax(0,1fr)] gap-2 text-[12px] text-ink-2">
          <span />
          <span className="flex justify-between" style={{ width: wide }}>
            {[0, 0.25, 0.5, 0.75, 1].map((share) => (
              <span key={share}>{ms(share * to)}</span>
            ))}
          </span>
        </div>
        <label className="mt-2 grid grid-cols-[100px_minmax(0,1fr)] items-center gap-2 text-[13px]">
          <span>at {ms(now)}</span>
          <input
            type="range"
            aria-label="Moment of both loads"
            aria-valuetext={ms(now)}
            min={0}
            max={Math.round(to)}
            step={10}
            value={Math.round(now)}
            onChange={(e) => choose(Number(e.target.value))}
            style={{ width: wide }}
          />
        </label>
        <div className="mt-2 grid max-w-[760px] grid-cols-2 gap-6">
          <Screen name={names[0]} side={a} now={now} />
          <Screen name={names[1]} side={b} now={now} />
        </div>
      </div>
    </section>
  );
}

/** What was on the screen of a load at a moment. */
function Screen({ name, side, now }: { name: string; side: NonNullable<ReturnType<typeof useStanding>>; now: number }) {
  const at = side.load.frames.findLastIndex((frame) => frame.at_ms <= now);
  const frame = side.load.frames[at];
  return (
    <figure className="min-w-0">
      {frame ? (
        <img
          src={frameUrl(side.id, side.number, frame)}
          alt={`The screen of ${name} at ${ms(now)}`}
          className="max-h-[260px] max-w-full border border-rule"
        />
      ) : (
        <span className="block border border-rule px-3 py-6 text-[13px] text-ink-2">
          {side.load.frames.length ? 'Nothing on the screen yet.' : 'No pictures of the screen were kept.'}
        </span>
      )}
      <figcaption className="mt-1 text-[12.5px] text-ink-2">
        {name}
        {frame && `, since ${ms(frame.at_ms)}`}
      </figcaption>
    </figure>
  );
}

/** The legs of a path as a row of pieces under the pictures. */
function Path({ side, to, width }: { side: NonNullable<ReturnType<typeof useStanding>>; to: number; width: number }) {
  const path = side.load.lcp?.path ?? [];
  return (
    <span className="mt-1 block h-[9px]" style={{ width }} aria-hidden>
      {path.map((leg, i) => (
        <span
          key={i}
          className="absolute h-[7px]"
          title={`${leg.title}: ${metricText('lcp', leg.to_ms - leg.from_ms)}`}
          style={{
            left: (leg.from_ms / to) * width,
            width: Math.max(1, ((leg.to_ms - leg.from_ms) / to) * width - 1),
            background: i % 2 ? 'var(--rule-strong)' : 'var(--accent)',
          }}
        />
      ))}
    </span>
  );
}

/** The legs of both paths, in words. */
export function Paths({
  replay,
  tried,
  names = ['without', 'with'],
}: {
  replay: number | null;
  tried: number | null;
  names?: [string, string];
}) {
  const a = useStanding(replay);
  const b = useStanding(tried);
  if (!a?.load.lcp || !b?.load.lcp) return null;
  const side = (name: string, s: typeof a) => (
    <div className="min-w-0">
      <h3 className="subhead">{name}</h3>
      <ol>
        {s.load.lcp?.path.map((leg, i) => (
          <li key={i} className="flex gap-3 border-t border-rule py-1 text-[13px]">
            <span className="w-[68px] shrink-0 text-right font-serif text-[15px]">{ms(leg.to_ms - leg.from_ms)}</span>
            <span className="min-w-0 [overflow-wrap:anywhere]">
              {leg.title} <span className="text-accent">{leg.owner.name}</span>
            </span>
          </li>
        ))}
      </ol>
    </div>
  );
  return (
    <section className="mt-7 max-w-[1100px]" aria-label="Path against path">
      <h2 className="text-[18px]">Path against path</h2>
      <div className="mt-1 grid grid-cols-2 gap-8">
        {side(names[0], a)}
        {side(names[1], b)}
      </div>
    </section>
  );
}
