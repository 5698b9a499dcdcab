import { useMemo } from 'react';
import { useThread, type Analysis } from '../../api/queries';
import { Ask } from '../../parts/Ask';
import type { Span } from '../../parts/useSpan';
import { useReading } from '../../shell/reading';

const HEIGHT = 22;
const NONE = { slice_ms: 1, received_bps: null, busy: null };

/** Bandwidth in use and the main thread's load, on the rows' own time axis. */
export function Lanes({ load, span, width }: { load: Analysis; span: Span; width: number }) {
  const { recording, number } = useReading();
  const { data } = useThread(recording.id, number);
  const { slice_ms, received_bps, busy } = data?.lanes ?? NONE;
  const link = load.conditions?.down_bits ?? 0;
  const most = Math.max(link, ...(received_bps ?? [0]));
  const received = useMemo(
    () => (received_bps && most ? area(received_bps, slice_ms, span, width, most) : null),
    [received_bps, slice_ms, span, width, most],
  );
  const work = useMemo(() => (busy ? area(busy, slice_ms, span, width, 1) : null), [busy, slice_ms, span, width]);
  // Its place is kept, so that nothing moves when it comes.
  if (!data) return <div style={{ height: 2 * HEIGHT + 2, width }} />;
  if (!received && !work) return null;
  const full = link ? `of ${(link / 1e6).toLocaleString('en')} Mbit/s` : `up to ${(most / 1e6).toFixed(1)} Mbit/s`;
  return (
    <div className="relative" style={{ width }}>
      {received && (
        <Lane path={received} width={width} color="var(--media)" name={`line ${full}`}>
          A response’s bytes are spread evenly from its first byte to its last; the top is{' '}
          {link ? 'what the link can bring' : 'the most that came at once'}.
        </Lane>
      )}
      {work && (
        <Lane path={work} width={width} color="var(--script)" name="main thread">
          Share of each moment in which the main thread had a task; the top is all of it.
        </Lane>
      )}
    </div>
  );
}

function Lane(props: { path: string; width: number; color: string; name: string; children: React.ReactNode }) {
  return (
    <div className="relative border-b border-rule">
      <svg width={props.width} height={HEIGHT} className="block" aria-hidden>
        <path d={props.path} fill={props.color} opacity={0.75} />
      </svg>
      <span className="absolute left-1 top-0 text-[12px] leading-[14px]">
        <Ask className="!border-0 bg-sheet/80 px-0.5 text-ink-2" how={props.children}>
          {props.name}
        </Ask>
      </span>
    </div>
  );
}

/** Steps of equal length as an area from the bottom. */
function area(values: number[], slice: number, span: Span, width: number, most: number): string {
  const x = (at: number) => ((at - span.from) / (span.to - span.from)) * width;
  const first = Math.max(0, Math.floor(span.from / slice));
  const last = Math.min(values.length - 1, Math.ceil(span.to / slice));
  let path = `M${Math.max(0, x(first * slice)).toFixed(1)} ${HEIGHT}`;
  for (let i = first; i <= last; i++) {
    const y = (HEIGHT - Math.min(1, (values[i] ?? 0) / most) * (HEIGHT - 2)).toFixed(1);
    const from = Math.max(0, x(i * slice)).toFixed(1);
    const to = Math.min(width, x((i + 1) * slice)).toFixed(1);
    path += `L${from} ${y}L${to} ${y}`;
  }
  return `${path}L${Math.min(width, x((last + 1) * slice)).toFixed(1)} ${HEIGHT}Z`;
}
