import { useEffect, useRef } from 'react';
import type { Analysis } from '../../api/queries';
import type { Leg } from '../../api/types';
import { Ask } from '../../parts/Ask';
import { KINDS, metricText, ms } from '../../parts/format';
import { NotKnown } from '../../parts/states';
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
  const { load, selection, select, marked } = useReading();
  const list = useRef<HTMLOListElement>(null);
  const path = load.lcp?.path ?? [];
  const at = selection?.kind === 'leg' ? selection.index : path.findIndex((leg, i) => marked.leg(leg, i));
  const go = (index: number) => {
    select({ kind: 'leg', index });
    list.current?.querySelectorAll<HTMLButtonElement>('button[data-leg]')[index]?.focus();
  };
  useRowKeys(at, path.length, go);
  useEffect(() => {
    if (at >= 0) list.current?.querySelectorAll('button[data-leg]')[at]?.scrollIntoView({ block: 'nearest' });
  }, [at]);
  const lcp = load.metrics.lcp_ms;
  if (!load.lcp || lcp === null || !path.length) {
    return (
      <div className="px-5 py-4">
        <h1 className="text-[25px]">No path: the largest paint is not known</h1>
        <NotKnown
          reasons={load.missing.filter((m) => m.subject === 'paints' || m.subject === 'main_thread').map((m) => m.why)}
        />
      </div>
    );
  }
  const target = 2500;
  const heads = [...path].sort((a, b) => b.to_ms - b.from_ms - (a.to_ms - a.from_ms)).slice(0, 3);
  const three = heads.reduce((sum, leg) => sum + leg.to_ms - leg.from_ms, 0);
  return (
    <div className="px-5 pb-8 pt-2">
      <h1 className="text-[25px] leading-tight">
        Largest paint at {ms(lcp)}, {lcp > target ? `${ms(lcp - target)} past its target` : 'within its target'}
      </h1>
      <p className="text-[13.5px] text-ink-2">
        {path.length} legs lead to it; their lengths add up to it. The longest three take {ms(three)}.
      </p>
      <Parts load={load} lcp={lcp} />
      <ol ref={list} className="mt-4" aria-label="Legs of the path, from navigation start to the largest paint">
        {path.map((leg, index) => {
          const length = leg.to_ms - leg.from_ms;
          const height = Math.max(50, Math.min(150, 34 + (length / lcp) * 260));
          const on = marked.leg(leg, index);
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
                onClick={() => select({ kind: 'leg', index })}
                aria-pressed={on}
                style={{ minHeight: height }}
                className={`grid grid-cols-[100px_minmax(0,1fr)] content-start gap-4 border-t border-rule px-2 pb-2 pt-1.5 text-left ${on ? 'bg-soft' : 'hover:bg-soft/50'}`}
              >
                <span className="text-right font-serif text-[20px] leading-tight">{ms(length)}</span>
                <span className="min-w-0 pt-0.5">
                  <span className="font-semibold [overflow-wrap:anywhere]">{leg.title}</span>{' '}
                  <span className="ml-1 text-[13px] text-accent">{leg.owner.name}</span>
                  <span className="block text-[13px] text-ink-2">{leg.sentence}</span>
                </span>
              </button>
            </li>
          );
        })}
        <li className="grid grid-cols-[58px_40px_minmax(0,1fr)]">
          <span className="-mt-2 pr-2 text-right text-[12px] font-semibold text-past">{ms(lcp)}</span>
          <span className="col-span-2 border-t-2" style={{ borderColor: 'var(--past)' }}>
            <span className="block pl-[116px] pt-1 text-[13px]">
              <strong>The largest paint.</strong>{' '}
              <span className="font-mono text-[12px] text-ink-2 [overflow-wrap:anywhere]">
                {load.lcp.selector ?? load.lcp.tag}
              </span>
            </span>
          </span>
        </li>
      </ol>
    </div>
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
