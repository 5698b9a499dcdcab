import { usePlanAbout } from '../../api/plan';
import type { PlanPageRow } from '../../api/types';
import { day, ms } from '../../parts/format';
import { useNotice } from '../../shell/notices';

/** The pages that a plan counts: by how much, and which recording stands for each. */
export function Pages({ site, rows }: { site: string; rows: PlanPageRow[] }) {
  const about = usePlanAbout(site);
  const say = useNotice();
  const all = rows.filter((r) => !r.left_out).reduce((sum, r) => sum + r.share, 0);
  const change = (row: PlanPageRow, to: Partial<PlanPageRow & { chosen: number | null }>) => {
    const choice = (r: PlanPageRow, chosen: number | null) => ({
      page: r.page,
      conditions: r.conditions,
      share: r.share,
      left_out: r.left_out,
      recording: chosen,
    });
    const before = choice(row, row.is_chosen ? row.recording : null);
    about.page.mutate(choice({ ...row, ...to }, to.chosen === undefined ? before.recording : to.chosen), {
      onSuccess: () =>
        say({ text: `${row.page}, ${row.conditions || 'imported'}: changed.`, undo: () => about.page.mutate(before) }),
      onError: (error) => say({ text: error.message, bad: true }),
    });
  };
  const counted = rows.filter((r) => !r.left_out && r.share > 0).length;
  return (
    <details className="mt-2 text-[13px]">
      <summary className="label !mb-0 cursor-pointer">
        {counted === rows.length
          ? `All ${rows.length} pages and conditions count`
          : `${counted} of ${rows.length} pages and conditions count`}
      </summary>
      <div className="mt-1 max-h-[260px] overflow-y-auto border-y border-rule">
        {rows.map((row) => {
          const name = `${row.page}, ${row.conditions || 'imported'}`;
          return (
            <div key={name} className="flex items-center gap-3 border-b border-rule py-1">
              <label className="flex min-w-0 flex-1 items-center gap-2">
                <input
                  type="checkbox"
                  checked={!row.left_out}
                  onChange={(e) => change(row, { left_out: !e.target.checked })}
                />
                <span className="truncate" title={row.url}>
                  {name}
                </span>
              </label>
              <span className="w-[64px] text-right">{ms(row.recorded.lcp_ms)}</span>
              <label className="flex items-center gap-1">
                <span className="sr-only">Visits of {name}</span>
                <input
                  type="number"
                  min={0}
                  step="any"
                  className="field !w-[76px] !py-0.5 text-right"
                  defaultValue={row.share}
                  key={row.share}
                  onBlur={(e) => {
                    const share = Number(e.target.value);
                    if (Number.isFinite(share) && share >= 0 && share !== row.share) change(row, { share });
                  }}
                />
                <span className="w-[44px] text-ink-2">
                  {!row.left_out && all > 0 ? `${Math.round((row.share / all) * 100)} %` : '–'}
                </span>
              </label>
              <select
                aria-label={`Recording that stands for ${name}`}
                className="field !w-[170px] !py-0.5"
                value={row.is_chosen ? row.recording : ''}
                onChange={(e) => change(row, { chosen: e.target.value ? Number(e.target.value) : null })}
              >
                <option value="">newest: {day(row.recordings[0]?.[1] ?? '')}</option>
                {row.recordings.map(([id, at]) => (
                  <option key={id} value={id}>
                    {day(at)}
                  </option>
                ))}
              </select>
            </div>
          );
        })}
      </div>
      <p className="mt-1 text-[12.5px] text-ink-2">
        Visits weigh the pages, on any scale: numbers of a month, or shares. Forecasts start from the newest recording
        of each.
      </p>
    </details>
  );
}
