import { useMemo, useRef } from 'react';
import { Link, useSearchParams } from 'react-router';
import { useFindingForecasts } from '../../api/forecasts';
import type { Finding, FindingForecast, Group, ResourceKind } from '../../api/types';
import { gain, inShort } from '../../parts/forecast';
import { bytes, GROUPS, KINDS, ms, plural, STANDING } from '../../parts/format';
import { KindTag } from '../../parts/KindTag';
import { useRowKeys } from '../../shell/keys';
import { ownerKey } from '../../parts/names';
import { useReading } from '../../shell/reading';

/** Findings as a ledger: one line each, by what their fixes bring to the largest paint. */
export default function FindingsView() {
  const { load, recording, number, selection, select, marked, planned, addToPlan } = useReading();
  const forecasts = useFindingForecasts(recording.id, number);
  const brings = useMemo(() => new Map(forecasts.data?.map((f) => [f.finding, f])), [forecasts.data]);
  const [params, setParams] = useSearchParams();
  const body = useRef<HTMLTableSectionElement>(null);
  const filter = useRef<HTMLSelectElement>(null);
  const group = params.get('group') ?? '';
  const kind = params.get('kind') ?? '';
  const owner = params.get('owner') ?? '';
  const set = (key: string, value: string) =>
    setParams(
      () => {
        const after = new URLSearchParams(window.location.search);
        if (value) after.set(key, value);
        else after.delete(key);
        return after;
      },
      { replace: true },
    );
  const rows = useMemo(
    () =>
      load.findings
        .filter(
          (f) => (!group || f.group === group) && (!kind || f.kind === kind) && (!owner || ownerKey(f.owner) === owner),
        )
        // Of equal ones the order stays: by milliseconds on the path.
        .sort((a, b) => gain(brings.get(b.key)?.brings) - gain(brings.get(a.key)?.brings)),
    [load.findings, group, kind, owner, brings],
  );
  const at = selection?.kind === 'finding' ? rows.findIndex((f) => f.key === selection.key) : -1;
  const go = (index: number) => {
    const row = rows[index];
    if (row) select({ kind: 'finding', key: row.key });
    body.current?.rows[index]?.querySelector('button')?.focus();
  };
  useRowKeys(at, rows.length, go, { '/': () => filter.current?.focus() });
  const onPath = load.findings.filter((f) => f.on_path).length;
  const groups = [...new Set(load.findings.map((f) => f.group))];
  const kinds = [...new Set(load.findings.flatMap((f) => (f.kind ? [f.kind] : [])))];
  const owners = [...new Map(load.findings.map((f) => [ownerKey(f.owner), f.owner.name]))].sort();
  return (
    <div className="px-5 pb-8 pt-2">
      <h1 className="text-[25px] leading-tight">
        {load.findings.length
          ? `${plural(load.findings.length, 'finding')}, ${onPath} of them on the path`
          : 'Nothing found'}
      </h1>
      <p className="text-[13.5px] text-ink-2">
        {load.findings.length
          ? 'By what each fix would bring to the largest paint, alone, as far as that can be computed. What two bring together can be less than both.'
          : `No check had anything to say about this load${load.missing.length ? '; some could not look, since the file does not hold what they need' : ''}.`}
      </p>
      {load.findings.length > 0 && (
        <div className="mt-3 flex items-center gap-4 text-[13px] text-ink-2">
          <Choice
            ref={filter}
            label="Group"
            value={group}
            set={(v) => set('group', v)}
            options={groups.map((g) => [g, GROUPS[g as Group]])}
          />
          <Choice
            label="Kind"
            value={kind}
            set={(v) => set('kind', v)}
            options={kinds.map((k) => [k, KINDS[k as ResourceKind].words])}
          />
          <Choice label="Owner" value={owner} set={(v) => set('owner', v)} options={owners} />
          <span aria-live="polite">
            {rows.length} of {load.findings.length} shown
          </span>
          <Link className="ml-auto text-accent" to={`/sites/${encodeURIComponent(recording.site)}/plan`}>
            To the plan
          </Link>
        </div>
      )}
      <table className="mt-3 w-full table-fixed text-[13px]">
        <thead>
          <tr className="border-b border-rule-strong">
            <th className="w-[126px] py-1 text-right">Fix brings</th>
            <th className="w-[80px] text-right">On the path</th>
            <th className="w-[60px] pl-4">Kind</th>
            <th className="pl-2">What</th>
            <th className="w-[104px]">Owner</th>
            <th className="w-[70px] text-right">Size</th>
            <th className="w-[88px] pl-4">Plan</th>
          </tr>
        </thead>
        <tbody ref={body}>
          {rows.map((f) => (
            <tr
              key={f.key}
              onClick={() => select({ kind: 'finding', key: f.key })}
              className={`cursor-pointer border-b border-rule align-top ${marked.finding(f) ? 'bg-soft' : 'hover:bg-soft/40'}`}
            >
              <td className="whitespace-nowrap py-1.5 text-right">
                <Expected forecast={brings.get(f.key)} waiting={forecasts.isPending} />
              </td>
              <td className="whitespace-nowrap py-1.5 text-right">
                {f.on_path ? (
                  ms(f.on_path_ms)
                ) : (
                  <span className="text-ink-2" title={f.standing === 'unknown' ? STANDING.unknown : undefined}>
                    {f.standing === 'unknown' ? '–' : STANDING[f.standing]}
                  </span>
                )}
              </td>
              <td className="pl-4 pt-1.5">{f.kind && <KindTag kind={f.kind} />}</td>
              <td className="py-1.5 pl-2 pr-3">
                <button
                  className="block w-full truncate text-left"
                  title={f.title}
                  aria-pressed={selection?.kind === 'finding' && selection.key === f.key}
                >
                  {f.title}
                </button>
              </td>
              <td className="truncate py-1.5 text-ink-2">{f.owner.name}</td>
              <td className="py-1.5 text-right">{sizeOf(f)}</td>
              <td className="py-1 pl-4">
                {planned(f) ? (
                  <span className="text-ink-2">in the plan</span>
                ) : (
                  <button
                    className="btn btn-quiet !px-1.5 !py-0 text-accent"
                    aria-label={`Add to the plan: ${f.fix.title}`}
                    onClick={(e) => {
                      e.stopPropagation();
                      addToPlan(f);
                    }}
                  >
                    add
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

/** What a finding's fix brings, in a cell. */
function Expected({ forecast, waiting }: { forecast: FindingForecast | undefined; waiting: boolean }) {
  if (waiting) return <span className="text-ink-2">…</span>;
  if (!forecast || forecast.unknown !== null || !forecast.brings.length) {
    return (
      <span className="text-ink-2" title={forecast?.unknown ?? 'The forecast could not be made.'}>
        not known
      </span>
    );
  }
  const words = inShort(forecast.brings);
  return gain(forecast.brings) > 0 ? (
    <strong>{words}</strong>
  ) : (
    <span
      className="text-ink-2"
      title={words === 'not known' ? 'This load does not tell its largest paint.' : undefined}
    >
      {words}
    </span>
  );
}

function sizeOf(f: Finding): string {
  if (f.saving_bytes !== null) return `−${bytes(f.saving_bytes)}`;
  if (f.size_ms !== null) return ms(f.size_ms);
  return f.size_bytes === null ? '' : bytes(f.size_bytes);
}

function Choice(props: {
  label: string;
  value: string;
  set: (value: string) => void;
  options: [string, string][];
  ref?: React.Ref<HTMLSelectElement>;
}) {
  return (
    <label className="flex items-center gap-1.5">
      {props.label}
      <select
        ref={props.ref}
        className="rounded border border-rule-strong bg-sheet px-1.5 py-0.5 text-ink"
        value={props.value}
        onChange={(e) => props.set(e.target.value)}
      >
        <option value="">all</option>
        {props.options.map(([value, words]) => (
          <option key={value} value={value}>
            {words}
          </option>
        ))}
      </select>
    </label>
  );
}
