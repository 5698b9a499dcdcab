import { useMemo, useState } from 'react';
import { useRecent, useSiteWeight } from '../../api/queries';
import { Ask } from '../../parts/Ask';
import { bytes, day, kB } from '../../parts/format';
import { KindTag } from '../../parts/KindTag';
import { Trouble } from '../../parts/states';
import { useParam } from '../../parts/useParam';
import { useReading } from '../../shell/reading';
import { usual } from './usual';

/** Which file is on which page of the site, and what it costs over all of them. */
export function SideBySide() {
  const { recording } = useReading();
  const recordings = useRecent();
  const [chosenText, setChosen] = useParam('pages');
  const [all, setAll] = useState(false);
  const ids = useMemo(() => {
    const given = chosenText
      .split(',')
      .map(Number)
      .filter((n) => Number.isInteger(n) && n > 0);
    return given.length ? given : usual(recordings ?? [], recording);
  }, [chosenText, recordings, recording]);
  const answer = useSiteWeight(recordings ? ids : []);
  const heads = ids.map((id) => recordings?.find((r) => r.id === id));
  const rest = (recordings ?? []).filter((r) => r.site === recording.site && r.summary && !ids.includes(r.id));
  const data = answer.data && answer.data.pages.length === ids.length ? answer.data : undefined;
  const files = data ? (all ? data.files.slice(0, 400) : data.files.slice(0, 14)) : [];
  return (
    <section className="mt-7 border-t border-rule-strong pt-3" aria-label="Pages side by side">
      <div className="flex items-end gap-3">
        <h2 className="text-[18px]">Pages side by side</h2>
        {data && ids.length > 1 && (
          <span className="text-[13px] text-ink-2">
            <Ask how="Files that are on every one of these pages, each counted once at its largest.">
              {bytes(data.on_every_page)}
            </Ask>{' '}
            on every page
          </span>
        )}
        <label className="ml-auto flex items-center gap-1.5 text-[13px] text-ink-2">
          Add
          <select
            className="max-w-[240px] rounded border border-rule-strong bg-sheet px-1 py-0.5"
            value=""
            onChange={(e) => e.target.value && setChosen([...ids, Number(e.target.value)].join(','))}
          >
            <option value="">a recording of the site</option>
            {rest.map((r) => (
              <option key={r.id} value={r.id}>
                {r.page}, {r.conditions?.name ?? r.source}, {day(r.recorded_at)}
              </option>
            ))}
          </select>
        </label>
      </div>
      {answer.error && <Trouble error={answer.error} again={() => void answer.refetch()} />}
      {ids.length < 2 && (
        <p className="mt-1 text-[13px] text-ink-2">
          This is the only page of {recording.site} recorded so far. Record another to see which files they share.
        </p>
      )}
      {data && (
        <div className="overflow-x-auto">
          <table className="mt-2 w-full text-[13px]">
            <thead>
              <tr className="border-b border-rule-strong align-bottom">
                <th className="w-[44px] py-1">Kind</th>
                <th>File</th>
                {heads.map((r, i) => (
                  <th key={ids[i]} className="w-[86px] pl-2 text-right">
                    <span className="block truncate" title={r?.conditions?.name ?? ''}>
                      {r?.page ?? `recording ${ids[i]}`}
                    </span>
                    <span className="block font-normal">{bytes(data.pages[i])}</span>
                    {ids.length > 1 && (
                      <button
                        className="text-ink-3 hover:text-accent"
                        aria-label={`take out ${r?.page ?? 'it'}`}
                        onClick={() => setChosen(ids.filter((id) => id !== ids[i]).join(','))}
                      >
                        take out
                      </button>
                    )}
                  </th>
                ))}
                <th className="w-[54px] text-right">Pages</th>
                <th className="w-[80px] text-right">
                  <Ask how="What one visit to each of these pages transfers of it, with an empty cache each time, in kB.">
                    Together
                  </Ask>
                </th>
              </tr>
            </thead>
            <tbody>
              {files.map((f) => (
                <tr key={f.file} className="border-b border-rule">
                  <td className="py-1">
                    <KindTag kind={f.kind} />
                  </td>
                  <td className="max-w-0 truncate" title={f.file}>
                    {f.file.split('/').pop() || f.file} <span className="text-[12px] text-ink-2">{f.owner.name}</span>
                  </td>
                  {f.on.map((on, i) => (
                    <td key={ids[i]} className="pl-2 text-right">
                      {on === null ? <span className="text-ink-3">·</span> : kB(on)}
                    </td>
                  ))}
                  <td className="text-right">{f.pages === ids.length && ids.length > 1 ? 'all' : f.pages}</td>
                  <td className="text-right">{kB(f.together)}</td>
                </tr>
              ))}
            </tbody>
          </table>
          <p className="mt-1 text-[12.5px] text-ink-2">
            {files.length} of {data.files.length} files, by their cost over these pages. A file is the same one by host
            and path.{' '}
            {data.files.length > 14 && (
              <button className="text-accent" onClick={() => setAll(!all)}>
                {all ? 'show fewer' : 'show all'}
              </button>
            )}
          </p>
        </div>
      )}
    </section>
  );
}
