import { useMemo, useState } from 'react';
import { useAlone } from '../../api/plan';
import type { CandidateFix, PlanPageRow } from '../../api/types';
import { Ask } from '../../parts/Ask';
import { inShort } from '../../parts/forecast';
import { ms, plural, RISK } from '../../parts/format';

/** So many come into view at once; what they bring is computed for these. */
const SHOWN = 12;

/** What findings of the pages that count call for and the plan does not have yet. */
export function Candidates(props: {
  site: string;
  all: CandidateFix[];
  pages: PlanPageRow[];
  add: (fix: CandidateFix) => void;
}) {
  const [words, setWords] = useState('');
  const [shown, setShown] = useState(SHOWN);
  const matching = useMemo(() => {
    const parts = words.toLowerCase().split(/\s+/).filter(Boolean);
    return props.all.filter((c) =>
      parts.every((p) => `${c.fix.title} ${c.owner.name} ${c.fix.kind}`.toLowerCase().includes(p)),
    );
  }, [props.all, words]);
  const view = matching.slice(0, shown);
  const alone = useAlone(
    props.site,
    useMemo(() => view.map((c) => c.fix.edit), [view]),
  );
  if (!props.all.length) return null;
  return (
    <section aria-label="Not in the plan yet" className="mt-8">
      <h2 className="text-[18px]">Not in the plan yet</h2>
      <p className="flex items-center gap-3 text-[13px] text-ink-2">
        <label>
          <span className="sr-only">Filter fixes</span>
          <input
            className="field !w-56 font-mono text-[12.5px]"
            placeholder="filter by words"
            value={words}
            onChange={(e) => setWords(e.target.value)}
          />
        </label>
        {view.length} of {plural(matching.length, 'fix', 'fixes')} that findings call for
      </p>
      <table className="mt-2 w-full text-[13px]">
        <thead>
          <tr className="border-b border-rule-strong">
            <th className="py-1">Fix</th>
            <th className="w-[74px] text-right">Effort</th>
            <th className="w-[86px] pl-3">Risk</th>
            <th className="w-[110px] text-right">
              <Ask how="By forecast, the fix alone: the mean over the pages by their visits.">Brings alone</Ask>
            </th>
            <th className="w-[86px] text-right">
              <Ask how="Pages and conditions whose findings call for it.">Pages</Ask>
            </th>
            <th className="w-[64px]">
              <span className="sr-only">Add</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {view.map((c) => {
            const brings = alone.data?.find((a) => a.key === c.fix.key);
            return (
              <tr key={c.fix.key} className="border-b border-rule align-top">
                <td className="py-1.5 [overflow-wrap:anywhere]">
                  {c.fix.title}
                  <span className="block text-[12.5px] text-ink-2">
                    {c.owner.name} · {c.finding_title}
                  </span>
                </td>
                <td className="pt-1.5 text-right">{c.effort}</td>
                <td className="pl-3 pt-1.5">{RISK[c.risk]}</td>
                <td className="pt-1.5 text-right">
                  {!brings ? (
                    <span className="text-ink-2">…</span>
                  ) : brings.unknown ? (
                    <Ask how={brings.unknown}>not known</Ask>
                  ) : (
                    inShort(brings.brings)
                  )}
                  {c.on_path_ms > 0 && (
                    <span className="block text-[12px] text-ink-2">{ms(c.on_path_ms)} on the path</span>
                  )}
                </td>
                <td className="pt-1.5 text-right">
                  <Ask
                    how={c.pages
                      .map((p) => `${props.pages[p]?.page}, ${props.pages[p]?.conditions || 'imported'}`)
                      .join('; ')}
                  >
                    {c.pages.length}
                  </Ask>
                </td>
                <td className="pt-1 text-right">
                  <button
                    className="btn !px-2 !py-0"
                    aria-label={`Add to the plan: ${c.fix.title}`}
                    onClick={() => props.add(c)}
                  >
                    add
                  </button>
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      {matching.length > shown && (
        <button className="btn mt-2" onClick={() => setShown(shown + 25)}>
          {plural(Math.min(25, matching.length - shown), 'more', 'more')}
        </button>
      )}
    </section>
  );
}
