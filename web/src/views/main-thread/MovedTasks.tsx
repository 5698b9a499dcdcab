import type { MovedTask } from '../../api/types';
import { ms, plural } from '../../parts/format';
import { shortName } from '../../parts/names';
import type { Span } from '../../parts/useSpan';

/** A task counts as moved from here on. */
const MOVED = 10;
/** Tasks that block input. */
const LONG = 50;

/** Tasks as they were, and beneath them as they would be, on the chart's axis. */
export function MovedTasks({ tasks, span, width }: { tasks: MovedTask[]; span: Span; width: number }) {
  const x = (at: number) => ((at - span.from) / (span.to - span.from)) * width;
  const wide = (took: number) => Math.max(1, (took / (span.to - span.from)) * width);
  const long = (took: number) => took > LONG;
  const before = tasks.filter((t) => long(t.took_ms)).length;
  const after = tasks.filter((t) => t.start_ms !== null && long(t.duration_ms)).length;
  const joined = tasks.filter(
    (t) => t.start_ms !== null && (long(t.took_ms) || long(t.duration_ms)) && Math.abs(t.start_ms - t.was_ms) >= MOVED,
  );
  const words = `${plural(before, 'long task')} as recorded, ${after} by forecast`;
  return (
    <section className="mt-2" aria-label="Tasks, as recorded and by forecast">
      <svg width={width} height={54} className="block overflow-hidden" role="img" aria-label={words}>
        {tasks.map((t, i) => (
          <rect
            key={i}
            x={x(t.was_ms)}
            y={2}
            width={wide(t.took_ms)}
            height={16}
            fill="var(--ink)"
            opacity={long(t.took_ms) ? 0.85 : 0.45}
          >
            <title>{`${t.script ? shortName(t.script) : 'the page itself'}, ${ms(t.took_ms)} from ${ms(t.was_ms)}`}</title>
          </rect>
        ))}
        {joined.map((t, i) => (
          <line
            key={i}
            x1={x(t.was_ms)}
            y1={18}
            x2={x(t.start_ms ?? 0)}
            y2={38}
            stroke="var(--accent)"
            strokeWidth={0.8}
          />
        ))}
        {tasks.map((t, i) =>
          t.start_ms === null ? null : (
            <rect
              key={i}
              x={x(t.start_ms)}
              y={38}
              width={wide(t.duration_ms)}
              height={10}
              fill="var(--accent)"
              opacity={long(t.duration_ms) ? 1 : 0.55}
            >
              <title>{`${t.script ? shortName(t.script) : 'the page itself'}, ${ms(t.duration_ms)} from ${ms(t.start_ms)}, by forecast`}</title>
            </rect>
          ),
        )}
      </svg>
      <p className="text-[12.5px] text-ink-2">{words}. Tasks of 2 ms and longer; what moved is joined.</p>
    </section>
  );
}
