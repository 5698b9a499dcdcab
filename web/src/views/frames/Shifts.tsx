import type { Analysis } from '../../api/queries';
import type { RequestRow, ShiftBy, ShiftRow } from '../../api/types';
import { Ask } from '../../parts/Ask';
import { KINDS, metricText, ms, plural } from '../../parts/format';
import { shortName } from '../../parts/names';
import { NotKnown } from '../../parts/states';
import { useSelection } from '../../shell/selection';

/** What set a shift off: a file that can be followed, or the document's own code. */
function SetOffBy({ by, requests }: { by: ShiftBy | null; requests: RequestRow[] }) {
  const [, select] = useSelection();
  if (!by) return <span className="text-ink-2">not told</span>;
  const { request } = by;
  const isInline = by.kind === 'script' && request !== null && requests[request]?.kind === 'document';
  const name = isInline ? 'code in the document' : shortName(by.url);
  const looks = 'block max-w-full truncate text-left font-mono text-[12px]';
  return (
    <>
      {request === null ? (
        <span className={looks} title={by.url}>
          {name}
        </span>
      ) : (
        <button
          className={`${looks} hover:text-accent`}
          title={by.url}
          onClick={() => select({ kind: 'request', id: request })}
        >
          {name}
        </button>
      )}
      <span className="block truncate text-ink-2">
        {KINDS[by.kind].words}, {by.owner.name}
      </span>
    </>
  );
}

/** The layout shifts of a load: when, how much, by what, and what moved. */
export function Shifts(props: { load: Analysis; shown: ShiftRow | null; pick: (index: number | null) => void }) {
  const { shifts, metrics } = props.load;
  if (metrics.cls === null) {
    return <NotKnown reasons={props.load.missing.filter((m) => m.subject === 'shifts').map((m) => m.why)} />;
  }
  const sum = shifts.reduce((all, s) => all + (s.had_recent_input ? 0 : s.score), 0);
  return (
    <section className="mt-5 text-[13px]" aria-label="Layout shifts">
      <h2 className="text-[18px]">
        {shifts.length ? `${plural(shifts.length, 'shift')}, CLS ${metricText('cls', metrics.cls)}` : 'Nothing shifted'}
      </h2>
      {shifts.length > 0 && (
        <>
          <p className="text-ink-2">
            Pick one to see its boxes on the frame: dotted before, solid after. Only the heaviest session window counts
            towards CLS.
          </p>
          <table className="mt-1 w-full">
            <thead>
              <tr className="border-b border-rule-strong">
                <th className="py-1">At</th>
                <th className="pl-3 text-right">Score</th>
                <th className="text-right">
                  <Ask how="Its score as a share of the sum of all shifts that count. The browser does not count a shift within 500 ms of an input or of a change of the viewport.">
                    Share
                  </Ask>
                </th>
                <th className="pl-4">
                  <Ask how="What had changed since the frame before: a script that changed the page, or a sheet, a picture, an inner frame or a font that came. Without it the forecast has no such shift.">
                    Set off by
                  </Ask>
                </th>
                <th className="pl-4">What moved</th>
              </tr>
            </thead>
            <tbody>
              {shifts.map((s, i) => {
                const on = s === props.shown;
                return (
                  <tr key={i} className={`border-b border-rule align-top ${on ? 'bg-soft' : 'hover:bg-soft/40'}`}>
                    <td className="py-1">
                      <button
                        aria-pressed={on}
                        className="whitespace-nowrap hover:text-accent"
                        onClick={() => props.pick(on ? null : i)}
                      >
                        {ms(s.at_ms)}
                      </button>
                    </td>
                    <td className="py-1 pl-3 text-right">{s.score.toFixed(3)}</td>
                    <td className="whitespace-nowrap py-1 pl-3 text-right">
                      {s.had_recent_input ? 'not counted' : sum ? `${((s.score / sum) * 100).toFixed(0)} %` : '–'}
                    </td>
                    <td className="max-w-[160px] min-w-[110px] py-1 pl-4">
                      <SetOffBy by={s.by} requests={props.load.requests} />
                    </td>
                    <td className="w-full max-w-0 py-1 pl-4 font-mono text-[12px]">
                      {s.moved.slice(0, on ? 12 : 2).map((m, n) => (
                        <span key={n} className="block truncate" title={m.element ?? ''}>
                          {m.element ?? 'an element'}{' '}
                          <span className="text-ink-2">
                            {Math.round(m.before.x)}, {Math.round(m.before.y)} → {Math.round(m.after.x)},{' '}
                            {Math.round(m.after.y)}
                          </span>
                        </span>
                      ))}
                      {!on && s.moved.length > 2 && <span className="text-ink-2">and {s.moved.length - 2} more</span>}
                    </td>
                  </tr>
                );
              })}
            </tbody>
          </table>
        </>
      )}
    </section>
  );
}
