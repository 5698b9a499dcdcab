import { useEffect, useMemo } from 'react';
import { useParams } from 'react-router';
import { useOwnerNotes } from '../../api/plan';
import { useOwnerGains, useOwners } from '../../api/server';
import type { OwnersView as View } from '../../api/types';
import { Ask } from '../../parts/Ask';
import { bytes, ms, plural, whole } from '../../parts/format';
import { ownerKey } from '../../parts/names';
import { Empty, Trouble, Waiting } from '../../parts/states';
import { useParam } from '../../parts/useParam';
import { useRowKeys } from '../../shell/keys';
import { account, gain, total, unexplained, type Account } from './account';
import { OwnerMargin } from './OwnerMargin';
import { Rules } from './Rules';

const KINDS = { site: 'site', theme: 'theme', plugin: 'plugin', third_party: 'third party', browser: 'browser' };

type Column =
  'pages' | 'requests' | 'weight' | 'thread' | 'blocking' | 'server' | 'queries' | 'path' | 'gain' | 'unused';

const COLUMNS: { id: Column; name: string; how: string; text: (value: number) => string }[] = [
  { id: 'pages', name: 'Pages', how: 'On how many of the pages it has a part.', text: (v) => whole(v) },
  { id: 'requests', name: 'Requests', how: 'Over the network, a mean over the pages.', text: (v) => v.toFixed(1) },
  {
    id: 'weight',
    name: 'Weight',
    how: 'Bytes over the line, a mean over the pages.',
    text: (v) => bytes(Math.round(v)),
  },
  {
    id: 'thread',
    name: 'Main thread',
    how: 'Self time of its scripts, and of the style, layout and paint that they forced, a mean over the pages. Where samples were taken, a handler that a library calls counts for the script that gave it to the library.',
    text: ms,
  },
  {
    id: 'blocking',
    name: 'Blocks input',
    how: 'What it adds to TBT: of each long task that a script of its took most of, what exceeds 50 ms.',
    text: ms,
  },
  {
    id: 'server',
    name: 'Server',
    how: 'Its own time on the server over all answers that tell it, by spans or by Server-Timing.',
    text: ms,
  },
  {
    id: 'queries',
    name: 'Queries',
    how: 'Queries that it asked, where spans tell them.',
    text: (v) => whole(Math.round(v)),
  },
  { id: 'path', name: 'Of the path', how: 'How much of the path to the largest paint is its.', text: ms },
  {
    id: 'gain',
    name: 'Without it',
    how: 'By forecast, what the largest paint gains without it: its files, its scripts, and its work on the server. Less than a frame counts as nothing.',
    text: (v) => (Math.abs(v) < 16.7 ? '0 ms' : `${v < 0 ? '−' : '+'}${ms(Math.abs(v))}`),
  },
  {
    id: 'unused',
    name: 'Unused',
    how: 'Of its scripts and sheets, the share that the pages did not use until they were quiet, where that was looked at. What an input or another page uses may be among it.',
    text: (v) => `${Math.round(v * 100)} %`,
  },
];

/** One account for each owner: what it costs on the server, the line and the main thread, over the site's pages. */
export default function OwnersView() {
  const site = useParams().site;
  const [until, setUntil] = useParam('until');
  const [beside, setBeside] = useParam('beside');
  const owners = useOwners(site, until);
  const before = useOwners(site, beside, beside !== '');
  useEffect(() => {
    document.title = `Owners, ${site} · Phainon`;
  }, [site]);
  if (owners.error) return <Trouble error={owners.error} again={() => void owners.refetch()} />;
  if (!owners.data || !site) return <Waiting />;
  if (!owners.data.pages.length) {
    return (
      <Empty title={`No recordings of ${site}${until ? ` up to ${until}` : ''}`}>
        <p>Owners are added up over the newest recording of each page. Record a page, or choose a later day.</p>
      </Empty>
    );
  }
  return (
    <Table
      site={site}
      view={owners.data}
      before={beside ? before.data : undefined}
      until={until}
      setUntil={setUntil}
      beside={beside}
      setBeside={setBeside}
    />
  );
}

function Table(props: {
  site: string;
  view: View;
  before: View | undefined;
  until: string;
  setUntil: (day: string) => void;
  beside: string;
  setBeside: (day: string) => void;
}) {
  const { site, view, before, until, beside } = props;
  const [conditions, setConditions] = useParam('conditions');
  const [page, setPage] = useParam('page');
  const [order, setOrder] = useParam('sort', '-path');
  const [picked, setPicked] = useParam('owner');
  const gains = useOwnerGains(site, until);
  const notes = useOwnerNotes(site);
  const placesOf = useMemo(
    () => (of: View) =>
      of.pages.flatMap((p, i) =>
        (!conditions || p.conditions === conditions) && (!page || p.page === page) ? [i] : [],
      ),
    [conditions, page],
  );
  const places = useMemo(() => placesOf(view), [placesOf, view]);
  const accounts = useMemo(
    () => view.rows.map((row) => account(row, places)).filter((a) => a.pages > 0),
    [view, places],
  );
  const earlier = useMemo(() => {
    if (!before) return undefined;
    const there = placesOf(before);
    return new Map(
      before.rows
        .map((row) => account(row, there))
        .filter((a) => a.pages > 0)
        .map((a) => [a.key, a]),
    );
  }, [before, placesOf]);
  const value = (a: Account, column: Column): number | null =>
    column === 'gain' ? gain(gains.data, a.key, places) : a[column];
  const wanted = order.replace('-', '') as Column;
  const sorted = [...accounts].sort((a, b) => {
    const [x, y] = [value(a, wanted), value(b, wanted)];
    // What brings most is the most negative.
    const by = (wanted === 'gain' ? -1 : 1) * ((x ?? -Infinity) - (y ?? -Infinity));
    return (order.startsWith('-') ? -by : by) || a.owner.name.localeCompare(b.owner.name);
  });
  const gone = earlier ? [...earlier.values()].filter((a) => !accounts.some((now) => now.key === a.key)) : [];
  const at = sorted.findIndex((a) => a.key === picked);
  useRowKeys(at, sorted.length, (next) => setPicked(sorted[next]?.key ?? ''));
  const sum = total(accounts);
  const uncovered = unexplained(view, places);
  const chosen = accounts.find((a) => a.key === picked);
  const plugins = accounts.filter((a) => a.owner.kind === 'plugin');
  const dear = plugins.filter((a) => (a.server ?? 0) + (a.thread ?? 0) >= 100 || a.weight >= 100_000);
  const all = (of: (p: View['pages'][number]) => string) => [...new Set(view.pages.map(of))].sort();
  return (
    <div className="grid min-h-0 grid-cols-[minmax(0,1fr)_320px]">
      <main className="min-h-0 overflow-y-auto bg-sheet px-5 py-4">
        <h1 className="text-[26px] leading-tight">Owners</h1>
        <p className="text-[13.5px] text-ink-2">
          {plural(accounts.length, 'owner')} over {plural(places.length, 'page')}; each figure is a mean over these.
          {plugins.length > 0 &&
            ` Of ${plural(plugins.length, 'plugin')}, ${dear.length} cost 100 ms or 100 kB a page and more: how many there are matters less than what each costs.`}
        </p>
        <div className="mt-3 flex flex-wrap items-center gap-3 text-[13px] text-ink-2">
          <Choice
            label="Conditions"
            value={conditions}
            set={setConditions}
            all={all((p) => p.conditions)}
            any="all conditions"
          />
          <Choice label="Page" value={page} set={setPage} all={all((p) => p.page)} any="all pages" />
          <Choice label="Recorded up to" value={until} set={props.setUntil} all={view.days} any="today" />
          <Choice label="beside" value={beside} set={props.setBeside} all={view.days} any="no other day" />
        </div>
        <table className="mt-3 w-full text-[13px]">
          <thead>
            <tr className="border-b border-rule-strong align-bottom">
              <th className="py-1 text-left">Owner</th>
              {COLUMNS.map((column) => (
                <th key={column.id} className="pl-2 text-right">
                  <button
                    className={wanted === column.id ? 'font-semibold text-ink' : 'text-ink-2 hover:text-ink'}
                    aria-pressed={wanted === column.id}
                    title={column.how}
                    onClick={() => setOrder(order === `-${column.id}` ? column.id : `-${column.id}`)}
                  >
                    {column.name}
                  </button>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {sorted.map((a) => (
              <tr
                key={a.key}
                className={`border-b border-rule align-top ${picked === a.key ? 'bg-soft' : 'hover:bg-soft/40'}`}
              >
                <td className="max-w-[170px] py-1">
                  <button
                    className="block max-w-full truncate text-left hover:text-accent"
                    title={a.owner.name}
                    aria-pressed={picked === a.key}
                    onClick={() => setPicked(picked === a.key ? '' : a.key)}
                  >
                    {a.owner.name}
                  </button>
                  <span className="block truncate text-[12px] text-ink-2">
                    {KINDS[a.owner.kind]}
                    {earlier && !earlier.has(a.key) && ', new'}
                  </span>
                </td>
                {COLUMNS.map((column) => {
                  const now = value(a, column.id);
                  const then = column.id === 'gain' ? null : earlier?.get(a.key)?.[column.id];
                  return (
                    <td key={column.id} className="whitespace-nowrap py-1 pl-2 text-right">
                      {now === null ? '–' : column.text(now)}
                      {earlier && then !== null && then !== undefined && now !== null && (
                        <Difference value={now - then} text={column.text} />
                      )}
                    </td>
                  );
                })}
              </tr>
            ))}
            {gone.map((a) => (
              <tr key={a.key} className="border-b border-rule text-ink-2">
                <td className="py-1 line-through">{a.owner.name}</td>
                <td colSpan={COLUMNS.length} className="pl-2 text-right">
                  gone since {beside}: {bytes(Math.round(a.weight))}, {ms(a.thread)} of main thread
                </td>
              </tr>
            ))}
          </tbody>
          <tfoot>
            {uncovered !== null && (
              <tr className="border-b border-rule text-ink-2">
                <td className="py-1">
                  <Ask how="Time of answers that none of the server’s spans covers: nobody’s, and not shared out.">
                    no span covers it
                  </Ask>
                </td>
                {COLUMNS.map((c) => (
                  <td key={c.id} className="pl-2 text-right">
                    {c.id === 'server' ? ms(uncovered) : ''}
                  </td>
                ))}
              </tr>
            )}
            <tr className="border-t border-rule-strong font-semibold">
              <td className="py-1">Together</td>
              {COLUMNS.map((c) => {
                const value =
                  c.id === 'pages' || c.id === 'gain' || c.id === 'unused'
                    ? null
                    : c.id === 'server' && sum.server !== null
                      ? sum.server + (uncovered ?? 0)
                      : sum[c.id];
                return (
                  <td key={c.id} className="whitespace-nowrap pl-2 text-right">
                    {value === null ? '' : c.text(value)}
                  </td>
                );
              })}
            </tr>
          </tfoot>
        </table>
        <Rules site={site} />
      </main>
      <aside aria-label="The owner" className="min-h-0 overflow-y-auto border-l border-rule-strong px-4 py-4">
        {chosen ? (
          <OwnerMargin
            key={chosen.key}
            site={site}
            view={view}
            places={places}
            chosen={chosen}
            accounts={accounts}
            gains={gains.data?.find((g) => ownerKey(g.owner) === chosen.key)}
            notes={notes.data ?? []}
          />
        ) : (
          <p className="text-[13px] text-ink-2">
            Pick an owner: what it costs page by page, what doing without it would bring, what is known of it, and
            others of the same purpose.
          </p>
        )}
      </aside>
    </div>
  );
}

function Choice(props: { label: string; value: string; set: (v: string) => void; all: string[]; any: string }) {
  return (
    <label className="flex items-center gap-1.5">
      {props.label}
      <select
        className="max-w-[180px] rounded border border-rule-strong bg-sheet px-1 py-0.5"
        value={props.value}
        onChange={(e) => props.set(e.target.value)}
      >
        <option value="">{props.any}</option>
        {props.all.map((one) => (
          <option key={one} value={one}>
            {one || 'not known'}
          </option>
        ))}
      </select>
    </label>
  );
}

function Difference({ value, text }: { value: number; text: (value: number) => string }) {
  const shown = text(Math.abs(value));
  if (shown === text(0)) return <span className="block text-[12px] text-ink-3">same</span>;
  return (
    <span className="block text-[12px] text-ink-2">
      {value < 0 ? '−' : '+'}
      {shown.replace(/^[−+]/, '')}
    </span>
  );
}
