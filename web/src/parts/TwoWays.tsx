import type { Foreseen, Leg, StepKind } from '../api/types';
import type { Analysis } from '../api/queries';
import { ms } from './format';
import { shortName } from './names';
import { ticks, tickText } from './time';
import { useWidth } from './useWidth';

const STEPS: Record<StepKind, string> = {
  asked: 'until it is asked for',
  sent: 'until it is sent',
  answered: 'until its first byte',
  received: 'until its last byte',
  task: 'on the main thread',
  other: 'until the paint',
};

/** The way to the largest paint as it was recorded, and beneath it as it would be, on one axis. */
export function TwoWays({ load, path, foreseen }: { load: Analysis; path: Leg[]; foreseen: Foreseen }) {
  const [area, width] = useWidth<HTMLDivElement>(720);
  const end = Math.max(path.at(-1)?.to_ms ?? 0, foreseen.path.at(-1)?.to_ms ?? 0) * 1.02 || 1;
  const span = { from: 0, to: end };
  const x = (at: number) => (at / end) * width;
  const nameOf = (request: number | null, script: string | null) =>
    request !== null
      ? (load.requests.find((r) => r.id === request)?.name ?? '')
      : script
        ? shortName(script)
        : 'the page';
  // The last moment of each request on both ways: what moved is joined.
  const last = <T extends { request: number | null; to_ms: number }>(steps: T[]) => {
    const found = new Map<number, number>();
    for (const step of steps) if (step.request !== null) found.set(step.request, step.to_ms);
    return found;
  };
  const [was, is] = [last(path), last(foreseen.path)];
  const moved = [...was].flatMap(([id, at]) => {
    const then = is.get(id);
    return then !== undefined && Math.abs(then - at) >= 10 ? [{ id, at, then }] : [];
  });
  // What takes next to nothing is in the picture alone.
  const shown = foreseen.path.filter((step) => step.to_ms - step.from_ms >= 8);
  const paint = [path.at(-1)?.to_ms, foreseen.path.at(-1)?.to_ms] as const;
  return (
    <section className="mt-3" aria-label="As recorded, and with the fixes by forecast">
      <div ref={area}>
        <svg
          width={width}
          height={76}
          className="block overflow-visible"
          role="img"
          aria-label={`Recorded: largest paint at ${ms(paint[0])}. By forecast: ${ms(paint[1])}.`}
        >
          {ticks(span, width).map((at) => (
            <g key={at}>
              <line x1={x(at)} x2={x(at)} y1={14} y2={72} stroke="var(--rule)" />
              <text x={x(at)} y={10} fontSize="11" fill="var(--ink-2)" textAnchor={at === 0 ? 'start' : 'middle'}>
                {tickText(at, span)}
              </text>
            </g>
          ))}
          {path.map((leg, i) => (
            <rect
              key={i}
              x={x(leg.from_ms)}
              y={20}
              width={Math.max(1, x(leg.to_ms - leg.from_ms) - 1)}
              height={16}
              fill="var(--ink)"
              opacity={i % 2 ? 0.55 : 0.8}
            >
              <title>{`${leg.title}, ${ms(leg.to_ms - leg.from_ms)}`}</title>
            </rect>
          ))}
          {foreseen.path.map((step, i) => (
            <rect
              key={i}
              x={x(step.from_ms)}
              y={56}
              width={Math.max(1, x(step.to_ms - step.from_ms) - 1)}
              height={10}
              fill="var(--accent)"
              opacity={i % 2 ? 0.6 : 0.95}
            >
              <title>{`${nameOf(step.request, step.script)}, ${STEPS[step.kind]}, ${ms(step.to_ms - step.from_ms)}`}</title>
            </rect>
          ))}
          {moved.map((m) => (
            <line key={m.id} x1={x(m.at)} y1={36} x2={x(m.then)} y2={56} stroke="var(--accent)" strokeWidth={0.8} />
          ))}
          {paint[0] !== undefined && paint[1] !== undefined && (
            <line x1={x(paint[0])} y1={36} x2={x(paint[1])} y2={56} stroke="var(--ink)" strokeWidth={1} />
          )}
        </svg>
      </div>
      <ol className="mt-1 text-[13px]" aria-label="The way by forecast">
        {shown.map((step, i) => (
          <li key={i} className="flex gap-3 border-b border-rule py-0.5">
            <span className="w-[64px] text-right text-ink-2">{ms(step.from_ms)}</span>
            <span className="w-[64px] text-right">{ms(step.to_ms - step.from_ms)}</span>
            <span className="min-w-0 truncate">
              {nameOf(step.request, step.script)} <span className="text-ink-2">{STEPS[step.kind]}</span>
            </span>
          </li>
        ))}
      </ol>
      {!foreseen.path.length && (
        <p className="text-[13px] text-ink-2">The forecast knows no way to the largest paint.</p>
      )}
    </section>
  );
}
