import { type ReactNode, useEffect, useRef } from 'react';
import { type Analysis, usePathTo, useReliefs, useThread } from '../../api/queries';
import type { Leg, Relief } from '../../api/types';
import { Ask } from '../../parts/Ask';
import { KINDS, metricText, ms, plural } from '../../parts/format';
import { NotKnown, Trouble, Waiting } from '../../parts/states';
import { TwoWays } from '../../parts/TwoWays';
import { useParam } from '../../parts/useParam';
import { useWhatIf, WhatIf } from '../../parts/WhatIf';
import { useRowKeys } from '../../shell/keys';
import { useReading } from '../../shell/reading';

/** A leg takes the colour of what it is made of. */
function colorOf(leg: Leg, load: Analysis): string {
  if (leg.cause === 'script' || leg.cause === 'busy' || leg.cause === 'timer' || leg.cause === 'script_wait')
    return KINDS.script.color;
  if (leg.cause === 'render') return 'var(--rule-strong)';
  const row = load.requests.find((r) => r.id === leg.request);
  return row ? KINDS[row.kind].color : 'var(--rule-strong)';
}

export default function PathView() {
  const [to, setTo] = useParam('to');
  const { recording, number, load } = useReading();
  const marks = useThread(recording.id, number).data?.user_timings ?? [];
  return (
    <div className="px-5 pb-8 pt-2">
      <label className="float-right ml-4 mt-1 flex items-center gap-2 text-[13px] text-ink-2">
        Path to
        <select
          className="max-w-[260px] rounded border border-rule-strong bg-sheet px-1 py-0.5"
          value={to}
          onChange={(e) => setTo(e.target.value)}
        >
          <option value="">the largest paint</option>
          <option value="first-paint">the first paint</option>
          {load.frames.length > 0 && (
            <optgroup label="the frame at">
              {load.frames.map((frame, i) => (
                <option key={i} value={`frame:${i}`}>
                  {ms(frame.at_ms)}
                </option>
              ))}
            </optgroup>
          )}
          {load.interactions.length > 0 && (
            <optgroup label="the answer to the input at">
              {load.interactions.map((input, i) => (
                <option key={i} value={`interaction:${i}`}>
                  {ms(input.at_ms)}, {input.kind}
                </option>
              ))}
            </optgroup>
          )}
          {marks.length > 0 && (
            <optgroup label="the page’s own mark">
              {marks.map((mark, i) => (
                <option key={i} value={`mark:${i}`}>
                  {mark.name}
                </option>
              ))}
            </optgroup>
          )}
          <optgroup label="the last byte of">
            {load.requests
              .filter((r) => r.end_ms !== null)
              .map((r) => (
                <option key={r.id} value={`request:${r.id}`}>
                  {r.name}
                </option>
              ))}
          </optgroup>
        </select>
      </label>
      {to ? <Other to={to} /> : <Largest />}
    </div>
  );
}

/** The leg under which it is said what a file would bring: its longest. */
function sayAt(path: Leg[], relief: Relief): number {
  const length = (leg: Leg | undefined) => (leg ? leg.to_ms - leg.from_ms : -1);
  return path.reduce(
    (best, leg, i) => (leg.request === relief.request && length(leg) > length(path[best]) ? i : best),
    -1,
  );
}

/** The path to the largest paint. */
function Largest() {
  const { recording, number, load, selection, select, marked } = useReading();
  const { data: reliefs } = useReliefs(recording.id, number);
  const what = useWhatIf();
  const path = load.lcp?.path ?? [];
  const lcp = load.metrics.lcp_ms;
  if (!load.lcp || lcp === null || !path.length) {
    return (
      <div className="py-2">
        <h1 className="text-[25px]">No path: the largest paint is not known</h1>
        <NotKnown
          reasons={load.missing.filter((m) => m.subject === 'paints' || m.subject === 'main_thread').map((m) => m.why)}
        />
      </div>
    );
  }
  const target = 2500;
  return (
    <>
      <h1 className="text-[25px] leading-tight">
        Largest paint at {ms(lcp)}, {lcp > target ? `${ms(lcp - target)} past its target` : 'within its target'}
      </h1>
      <Sum path={path} />
      <Parts load={load} lcp={lcp} />
      <div className="mt-2 flex flex-wrap items-center gap-x-3 gap-y-1 text-[13px] text-ink-2">
        <WhatIf what={what} />
      </div>
      {what.foreseen && !what.stale && <TwoWays load={load} path={path} foreseen={what.foreseen} />}
      <Legs
        path={path}
        label="Legs of the path, from navigation start to the largest paint"
        at={selection?.kind === 'leg' ? selection.index : path.findIndex((leg, i) => marked.leg(leg, i))}
        pick={(index) => select({ kind: 'leg', index })}
        on={marked.leg}
        more={(index) =>
          reliefs
            ?.filter((relief) => relief.helps !== 'beside' && sayAt(path, relief) === index)
            .map((relief) => relief.sentence)
            .join(' ')
        }
      >
        <strong>The largest paint.</strong>{' '}
        <span className="font-mono text-[12px] text-ink-2 [overflow-wrap:anywhere]">
          {load.lcp.selector ?? load.lcp.tag}
        </span>
      </Legs>
      <Beside reliefs={reliefs?.filter((relief) => relief.helps === 'beside') ?? []} />
    </>
  );
}

/** Files whose fetching is no part of the path and yet holds it up. */
function Beside({ reliefs }: { reliefs: Relief[] }) {
  const { load, selection, select } = useReading();
  if (!reliefs.length) return null;
  return (
    <section className="mt-7" aria-labelledby="beside">
      <h2 id="beside" className="text-[17px]">
        <Ask how="The load is run forwards with each of the ten heaviest files beside the path there as soon as it is asked of its server, one at a time. Together they bring less than their sum.">
          Beside the path, on its line
        </Ask>
      </h2>
      <p className="mb-1 text-[13px] text-ink-2">
        The path gives next to nothing to fetching these, but their bytes take the line from what it waits for. So much
        earlier the largest paint would come with each of them there at once.
      </p>
      <ul>
        {reliefs.map(({ request, gain_ms }) => {
          const row = load.requests.find((r) => r.id === request);
          return (
            <li key={request}>
              <button
                onClick={() => select({ kind: 'request', id: request })}
                aria-pressed={selection?.kind === 'request' && selection.id === request}
                className="grid w-full grid-cols-[206px_minmax(0,1fr)] items-baseline gap-4 border-t border-rule py-1 text-left hover:bg-soft/50 aria-pressed:bg-soft"
              >
                <span className="text-right font-serif text-[18px] leading-tight">{ms(gain_ms)}</span>
                <span className="min-w-0 [overflow-wrap:anywhere]">
                  <span className="font-semibold">{row?.name}</span>{' '}
                  <span className="ml-1 text-[13px] text-accent">{row?.owner.name}</span>
                </span>
              </button>
            </li>
          );
        })}
      </ul>
    </section>
  );
}

/** Moments that a path can lead to besides paints and requests. */
const OTHERS: Record<string, string> = { frame: 'frame', mark: 'page’s own mark', interaction: 'answer to the input' };

/** The path to another moment: the first paint, a frame, a mark, or a request's last byte. */
function Other({ to }: { to: string }) {
  const { recording, number, load, selection, select } = useReading();
  const { data: path, error } = usePathTo(recording.id, number, to);
  if (error) return <Trouble error={error} />;
  if (!path) return <Waiting />;
  const row = load.requests.find((r) => to === `request:${r.id}`);
  const [kind] = to.split(':');
  const named = row ? `last byte of ${row.name}` : (OTHERS[kind ?? ''] ?? 'first paint');
  const title = named.charAt(0).toUpperCase() + named.slice(1);
  const end = path.at(-1)?.to_ms ?? 0;
  // The way to an answer begins with the input.
  const begin = path[0]?.from_ms ?? 0;
  const chosen = selection?.kind === 'request' ? selection.id : null;
  return (
    <>
      <h1 className="text-[25px] leading-tight [overflow-wrap:anywhere]">
        {title} at {ms(end)}
        {kind === 'interaction' && `, ${ms(end - begin)} after it`}
      </h1>
      <Sum path={path} />
      <Legs
        path={path}
        label={`Legs of the path, from ${kind === 'interaction' ? 'the input' : 'navigation start'} to the ${named}`}
        at={path.findIndex((leg) => leg.request !== null && leg.request === chosen)}
        pick={(index) => {
          const id = path[index]?.request;
          select(id === null || id === undefined ? null : { kind: 'request', id });
        }}
        on={(leg) => leg.request !== null && leg.request === chosen}
      >
        <strong>{title}.</strong>
      </Legs>
    </>
  );
}

function Sum({ path }: { path: Leg[] }) {
  const heads = [...path].sort((a, b) => b.to_ms - b.from_ms - (a.to_ms - a.from_ms)).slice(0, 3);
  const three = heads.reduce((sum, leg) => sum + leg.to_ms - leg.from_ms, 0);
  return (
    <p className="text-[13.5px] text-ink-2">
      {plural(path.length, 'leg')} lead to it; their lengths add up to it. The longest three take {ms(three)}.
    </p>
  );
}

/** Legs one under the other, each as high as it is long. */
function Legs({
  path,
  label,
  at,
  pick,
  on,
  more,
  children,
}: {
  path: Leg[];
  label: string;
  at: number;
  pick: (index: number) => void;
  on: (leg: Leg, index: number) => boolean;
  /** What is said of a leg besides. */
  more?: (index: number) => string | undefined;
  children: ReactNode;
}) {
  const { load } = useReading();
  const list = useRef<HTMLOListElement>(null);
  const go = (index: number) => {
    pick(index);
    list.current?.querySelectorAll<HTMLButtonElement>('button[data-leg]')[index]?.focus();
  };
  useRowKeys(at, path.length, go);
  useEffect(() => {
    if (at >= 0) list.current?.querySelectorAll('button[data-leg]')[at]?.scrollIntoView({ block: 'nearest' });
  }, [at]);
  const end = path.at(-1)?.to_ms ?? 0;
  return (
    <ol ref={list} className="mt-4" aria-label={label}>
      {path.map((leg, index) => {
        const length = leg.to_ms - leg.from_ms;
        const height = Math.max(50, Math.min(150, 34 + (length / Math.max(1, end)) * 260));
        const chosen = on(leg, index);
        return (
          <li key={index} className="grid grid-cols-[58px_40px_minmax(0,1fr)]">
            <span className="-mt-2 pr-2 text-right text-[12px] text-ink-2">{metricText('lcp', leg.from_ms)}</span>
            <span className="relative border-t border-rule">
              <span
                className="absolute inset-y-0 left-3 w-4"
                style={{ background: colorOf(leg, load), marginTop: index ? 1 : 0 }}
                aria-hidden
              />
            </span>
            <button
              data-leg
              onClick={() => pick(index)}
              aria-pressed={chosen}
              style={{ minHeight: height }}
              className={`grid grid-cols-[100px_minmax(0,1fr)] content-start gap-4 border-t border-rule px-2 pb-2 pt-1.5 text-left ${chosen ? 'bg-soft' : 'hover:bg-soft/50'}`}
            >
              <span className="text-right font-serif text-[20px] leading-tight">{ms(length)}</span>
              <span className="min-w-0 pt-0.5">
                <span className="font-semibold [overflow-wrap:anywhere]">{leg.title}</span>{' '}
                <span className="ml-1 text-[13px] text-accent">{leg.owner.name}</span>
                <span className="block text-[13px] text-ink-2">{leg.sentence}</span>
                {more?.(index) && <span className="mt-0.5 block text-[13px] italic">{more(index)}</span>}
              </span>
            </button>
          </li>
        );
      })}
      <li className="grid grid-cols-[58px_40px_minmax(0,1fr)]">
        <span className="-mt-2 pr-2 text-right text-[12px] font-semibold text-past">{ms(end)}</span>
        <span className="col-span-2 border-t-2" style={{ borderColor: 'var(--past)' }}>
          <span className="block pl-[116px] pt-1 text-[13px]">{children}</span>
        </span>
      </li>
    </ol>
  );
}

/** The four published parts of LCP, in proportion. */
function Parts({ load, lcp }: { load: Analysis; lcp: number }) {
  const parts = load.lcp?.parts;
  if (!parts) return null;
  const each = [
    { name: 'TTFB', value: parts.ttfb_ms, color: 'var(--document)', how: 'Until the document’s first byte.' },
    {
      name: 'load delay',
      value: parts.load_delay_ms,
      color: 'var(--past)',
      how: 'From the document’s first byte until the element’s file was asked for; 0 for text.',
    },
    {
      name: 'load duration',
      value: parts.load_duration_ms,
      color: 'var(--image)',
      how: 'While the file was fetched; 0 for text.',
    },
    {
      name: 'render delay',
      value: parts.render_delay_ms,
      color: 'var(--script)',
      how: 'From the file’s last byte to the paint; for text, from the document’s first byte.',
    },
  ];
  return (
    <div className="mt-3">
      <div className="flex h-2 gap-[2px]" aria-hidden>
        {each.map((p) => (
          <span key={p.name} style={{ width: `${(p.value / lcp) * 100}%`, background: p.color }} />
        ))}
      </div>
      <p className="mt-1 flex flex-wrap gap-x-5 text-[12.5px] text-ink-2">
        {each.map((p) => (
          <span key={p.name}>
            <span className="mr-1.5 inline-block h-2 w-2" style={{ background: p.color }} aria-hidden />
            <Ask how={p.how}>
              {p.name} {ms(p.value)}
            </Ask>
          </span>
        ))}
      </p>
    </div>
  );
}
