import { useMemo, useState } from 'react';
import { useDetail, useLoad } from '../../api/queries';
import type { Analysis } from '../../api/queries';
import type { RequestRow } from '../../api/types';
import { Ask } from '../../parts/Ask';
import { bytes, kB, KINDS, plural } from '../../parts/format';
import { KindTag } from '../../parts/KindTag';
import { NotKnown } from '../../parts/states';
import { useParam } from '../../parts/useParam';
import { ownerKey } from '../../parts/names';
import { useReading } from '../../shell/reading';
import { SideBySide } from './SideBySide';

type By = 'owner' | 'domain' | 'kind';
type Measure = 'transferred' | 'unpacked';

/** Bytes: whose, of what kind, from where, and which of them nobody needed. */
export default function WeightView() {
  const { load, recording } = useReading();
  const [byText, setBy] = useParam('by', 'owner');
  const [measureText, setMeasure] = useParam('measure', 'transferred');
  const by = byText as By;
  const measure = measureText as Measure;
  const detail = useDetail(recording.id);
  const total = measure === 'transferred' ? load.metrics.transferred_bytes : load.metrics.unpacked_bytes;
  if (!total) {
    return (
      <div className="px-5 py-4">
        <h1 className="text-[25px]">No sizes</h1>
        <p className="text-ink-2">No response of this load told its size.</p>
      </div>
    );
  }
  const heaviest = load.weight[0];
  return (
    <div className="px-5 pb-8 pt-2">
      <h1 className="text-[25px] leading-tight">
        {bytes(load.metrics.transferred_bytes)} over the line
        {heaviest &&
          `, ${((heaviest.transferred_bytes / (load.metrics.transferred_bytes || 1)) * 100).toFixed(0)} % of it ${KINDS[heaviest.kind].words}s`}
      </h1>
      <Sums load={load} unused={detail.data?.unused} />
      <div className="mt-3 flex items-center gap-2 border-t border-rule-strong pt-2 text-[13px]">
        <Choice
          value={by}
          set={setBy}
          options={[
            ['owner', 'by owner'],
            ['domain', 'by domain'],
            ['kind', 'by kind'],
          ]}
        />
        <span className="w-4" />
        <Choice
          value={measure}
          set={setMeasure}
          options={[
            ['transferred', 'over the line'],
            ['unpacked', 'unpacked'],
          ]}
        />
      </div>
      <Strips load={load} by={by} measure={measure} total={total} />
      <Files load={load} total={load.metrics.transferred_bytes ?? 0} unused={detail.data?.unused} />
      <NotKnown
        reasons={[
          ...(detail.data === null
            ? ['Used code was not looked at: only a recording made here makes a load of its own for that.']
            : (detail.data?.notes ?? [])),
          ...load.missing.filter((m) => m.subject === 'page').map((m) => m.why),
        ]}
      />
      <SideBySide />
    </div>
  );
}

function Choice(props: { value: string; set: (value: string) => void; options: [string, string][] }) {
  return (
    <span className="flex gap-1" role="group">
      {props.options.map(([id, name]) => (
        <button key={id} className="btn !px-2 !py-0.5" aria-pressed={props.value === id} onClick={() => props.set(id)}>
          {name}
        </button>
      ))}
    </span>
  );
}

/** What need not have been there, as far as the recording tells. */
function Sums({ load, unused }: { load: Analysis; unused: { unused_bytes: number | null }[] | undefined }) {
  const { recording, pair, number } = useReading();
  const other = useLoad(recording.id, pair ? (number === pair.first ? pair.again : pair.first) : undefined);
  const sum = (rows: RequestRow[]) => rows.reduce((all, r) => all + (r.transferred_bytes ?? 0), 0);
  const below = load.requests.filter((r) => r.placement === 'below_fold');
  const hidden = load.requests.filter((r) => r.placement === 'hidden');
  const placed = load.requests.some((r) => r.placement !== null);
  const parts: [string, React.ReactNode, string][] = [
    ['unpacked', bytes(load.metrics.unpacked_bytes), 'Bodies as the page used them, after decompression.'],
    [
      'pictures below the fold',
      placed ? `${bytes(sum(below))} in ${below.length}` : 'not known',
      'Pictures whose every box begins below the first screen at the end of the load.',
    ],
    [
      'pictures not shown',
      placed ? `${bytes(sum(hidden))} in ${hidden.length}` : 'not known',
      'Downloaded, and displayed nowhere in the page.',
    ],
    [
      'code not used',
      unused ? bytes(unused.reduce((all, u) => all + (u.unused_bytes ?? 0), 0)) : 'not known',
      'Unused share of each script and stylesheet, of its bytes over the line; seen in one more load. Code used later or on another page counts as unused here.',
    ],
    ...(other.data
      ? ([
          [
            number === pair?.first ? 'return visit' : 'first visit',
            bytes(other.data.metrics.transferred_bytes),
            'Over the line in the other visit of the same profile.',
          ],
        ] as [string, string, string][])
      : []),
  ];
  return (
    <dl className="mt-1 flex flex-wrap gap-x-8 gap-y-1 text-[13px]">
      {parts.map(([name, value, how]) => (
        <div key={name}>
          <dt className="text-[12px] text-ink-2">{name}</dt>
          <dd>
            <Ask how={how} className="font-serif text-[17px]">
              {value}
            </Ask>
          </dd>
        </div>
      ))}
    </dl>
  );
}

interface Strip {
  key: string;
  name: string;
  rows: RequestRow[];
  sum: number;
}

/** A strip for each owner, domain or kind, as long as it is heavy, cut into its files. */
function Strips({ load, by, measure, total }: { load: Analysis; by: By; measure: Measure; total: number }) {
  const { select, marked } = useReading();
  const [all, setAll] = useState(false);
  const of = (r: RequestRow) => (measure === 'transferred' ? r.transferred_bytes : r.unpacked_bytes) ?? 0;
  const strips = useMemo(() => {
    const groups = new Map<string, RequestRow[]>();
    for (const r of load.requests) {
      if (of(r) <= 0) continue;
      const key = by === 'owner' ? ownerKey(r.owner) : by === 'domain' ? (r.host ?? 'no host') : KINDS[r.kind].words;
      const list = groups.get(key);
      if (list) list.push(r);
      else groups.set(key, [r]);
    }
    return [...groups]
      .map(([key, rows]): Strip => ({
        key,
        name: by === 'owner' ? (rows[0]?.owner.name ?? key) : key,
        rows: rows.toSorted((a, b) => of(b) - of(a)),
        sum: rows.reduce((sum, r) => sum + of(r), 0),
      }))
      .sort((a, b) => b.sum - a.sum);
    // `of` follows from the measure.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [load, by, measure]);
  const most = strips[0]?.sum ?? 1;
  const shown = all ? strips : strips.slice(0, 12);
  return (
    <section className="mt-3" aria-label={`Weight by ${by}`}>
      {shown.map((strip) => (
        <div
          key={strip.key}
          className="grid grid-cols-[150px_64px_52px_minmax(0,1fr)] items-center gap-3 py-[2.5px] text-[13px]"
        >
          {by === 'owner' ? (
            <button
              className="truncate text-left hover:text-accent"
              onClick={() => select({ kind: 'owner', owner: strip.key })}
            >
              {strip.name}
            </button>
          ) : (
            <span className="truncate">{strip.name}</span>
          )}
          <span className="text-right">{bytes(strip.sum)}</span>
          <span className="text-right text-ink-2">{((strip.sum / total) * 100).toFixed(1)} %</span>
          <span className="flex h-[18px] gap-px" style={{ width: `${(strip.sum / most) * 100}%`, minWidth: 2 }}>
            {strip.rows.map((r) => (
              <button
                key={r.id}
                tabIndex={-1}
                aria-label={`${r.name}, ${bytes(of(r))}`}
                title={`${r.name}, ${bytes(of(r))}, ${((of(r) / total) * 100).toFixed(1)} % of the load`}
                className="h-full min-w-0 hover:opacity-80"
                style={{
                  flexGrow: of(r),
                  flexBasis: 0,
                  background: KINDS[r.kind].color,
                  outline: marked.row(r) && r.id === marked.request ? '2px solid var(--ink)' : undefined,
                }}
                onClick={() => select({ kind: 'request', id: r.id })}
              />
            ))}
          </span>
        </div>
      ))}
      <p className="mt-1 flex flex-wrap gap-x-4 text-[12.5px]">
        {load.weight.map((w) => (
          <span key={w.kind}>
            <span className="mr-1.5 inline-block h-2 w-2" style={{ background: KINDS[w.kind].color }} aria-hidden />
            {KINDS[w.kind].words}
          </span>
        ))}
        {strips.length > 12 && (
          <button className="ml-auto text-accent" onClick={() => setAll(!all)}>
            {all ? 'show fewer' : `show all ${strips.length}`}
          </button>
        )}
      </p>
    </section>
  );
}

const WHERE = { in_view: '', below_fold: 'below the fold', hidden: 'not shown' } as const;

/** Every file, heaviest first. */
function Files(props: { load: Analysis; total: number; unused: { url: string; unused_share: number }[] | undefined }) {
  const { load, total, unused } = props;
  const { select, marked } = useReading();
  const [all, setAll] = useState(false);
  const rows = useMemo(
    () =>
      load.requests
        .filter((r) => r.transferred_bytes !== null)
        .toSorted((a, b) => (b.transferred_bytes ?? 0) - (a.transferred_bytes ?? 0)),
    [load],
  );
  const share = useMemo(() => new Map(unused?.map((u) => [u.url, u.unused_share])), [unused]);
  const standouts = new Set(load.findings.filter((f) => f.check === 'standout').map((f) => f.request));
  const shown = all ? rows.slice(0, 500) : rows.slice(0, 14);
  return (
    <section className="mt-5" aria-label="Files">
      <h2 className="text-[18px]">Files, heaviest first</h2>
      <table className="mt-1 w-full table-fixed text-[13px]">
        <thead>
          <tr className="border-b border-rule-strong">
            <th className="w-[44px] py-1">Kind</th>
            <th>File</th>
            <th className="w-[104px]">Owner</th>
            <th className="w-[58px] text-right">kB</th>
            <th className="w-[66px] text-right">Unpacked</th>
            <th className="w-[54px] text-right">Share</th>
            <th className="w-[66px] text-right">
              <Ask how="Share of the script’s or stylesheet’s text that one more load did not use. What an interaction or another page uses counts as unused here.">
                Unused
              </Ask>
            </th>
            <th className="w-[104px] pl-3">Where</th>
          </tr>
        </thead>
        <tbody>
          {shown.map((r) => (
            <tr key={r.id} className={`border-b border-rule ${marked.row(r) ? 'bg-soft' : 'hover:bg-soft/40'}`}>
              <td className="py-1">
                <KindTag kind={r.kind} />
              </td>
              <td className="truncate">
                <button
                  className="max-w-full truncate text-left hover:text-accent"
                  title={r.url}
                  onClick={() => select({ kind: 'request', id: r.id })}
                >
                  {r.name}
                </button>
                {standouts.has(r.id) && <strong className="ml-2 text-past">standout</strong>}
              </td>
              <td className="truncate text-ink-2">{r.owner.name}</td>
              <td className="text-right">{kB(r.transferred_bytes)}</td>
              <td className="text-right">{kB(r.unpacked_bytes)}</td>
              <td className="text-right">
                {total ? `${(((r.transferred_bytes ?? 0) / total) * 100).toFixed(1)} %` : '–'}
              </td>
              <td className="text-right">
                {share.has(r.url) ? `${((share.get(r.url) ?? 0) * 100).toFixed(0)} %` : ''}
              </td>
              <td className="truncate pl-3 text-ink-2">{r.placement ? WHERE[r.placement] : ''}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-1 text-[12.5px] text-ink-2">
        {shown.length} of {plural(rows.length, 'file')}{' '}
        {rows.length > 14 && (
          <button className="text-accent" onClick={() => setAll(!all)}>
            {all ? 'show fewer' : 'show all'}
          </button>
        )}
      </p>
    </section>
  );
}
