import { useMemo, useState } from 'react';
import type { ServerAnswer } from '../../api/types';
import { Ask } from '../../parts/Ask';
import { ms, plural, whole } from '../../parts/format';
import { ownerKey } from '../../parts/names';
import { SHAPES } from './words';

/** So many are shown at first. */
const SHOWN = 12;

/** The statements that were asked, their values folded. */
export function Queries({
  answer,
  findingOf,
}: {
  answer: ServerAnswer;
  findingOf: ((text: string) => (() => void) | undefined) | undefined;
}) {
  const [open, setOpen] = useState<string | null>(null);
  const [slower, setSlower] = useState('');
  const [all, setAll] = useState(false);
  const least = Number(slower) || 0;
  const matching = useMemo(() => answer.queries.filter((q) => q.slowest_ms >= least), [answer.queries, least]);
  const rows = all ? matching : matching.slice(0, SHOWN);
  return (
    <section className="mt-6" aria-label="Queries">
      <h2 className="text-[18px]">
        {plural(answer.query_count, 'query', 'queries')} of {plural(answer.queries.length, 'statement')}
      </h2>
      <p className="flex flex-wrap items-center gap-2 text-[13px] text-ink-2">
        <label className="flex items-center gap-2">
          slower than
          <input
            className="field !w-20 text-right"
            inputMode="decimal"
            value={slower}
            onChange={(e) => setSlower(e.target.value)}
            aria-label="Only statements with a query slower than so many milliseconds"
          />
          ms
        </label>
        <span aria-live="polite">
          {rows.length} of {answer.queries.length} shown
        </span>
      </p>
      <table className="mt-2 w-full table-fixed text-[13px]">
        <thead>
          <tr className="border-b border-rule-strong">
            <th className="py-1">
              <Ask how="The query’s text with values and lists of values as ?, comments left out.">Statement</Ask>
            </th>
            <th className="w-[118px] pl-3">Owner</th>
            <th className="w-[56px] text-right">Asked</th>
            <th className="w-[70px] text-right">
              <Ask how="Own time of all its spans, in milliseconds.">Total ms</Ask>
            </th>
            <th className="w-[76px] text-right">Slowest ms</th>
            <th className="w-[60px] text-right">
              <Ask how="Rows that came, where the server tells (db.response.returned_rows).">Rows</Ask>
            </th>
            <th className="w-[108px] pl-3">
              <span className="sr-only">What stands out</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {rows.map((query) => {
            const finding = findingOf?.(query.text);
            return (
              <tr key={query.text} className="border-b border-rule align-top">
                <td className="py-1">
                  <button
                    className={`block w-full text-left font-mono text-[12px] leading-snug [overflow-wrap:anywhere] hover:text-accent ${open === query.text ? '' : 'line-clamp-2'}`}
                    aria-expanded={open === query.text}
                    onClick={() => setOpen(open === query.text ? null : query.text)}
                  >
                    {query.text}
                  </button>
                  {open === query.text && query.example !== query.text && (
                    <span className="mt-1 block text-[12.5px] text-ink-2">
                      for one: <code className="font-mono text-[12px] [overflow-wrap:anywhere]">{query.example}</code>
                    </span>
                  )}
                </td>
                <td className="pl-3 pt-1 [overflow-wrap:anywhere]">
                  {query.owners.map((o) => (
                    <span key={ownerKey(o)} className="block">
                      {o.name}
                    </span>
                  ))}
                </td>
                <td className="pt-1 text-right">{whole(query.count)}</td>
                <td className="pt-1 text-right">{figure(query.total_ms)}</td>
                <td className="pt-1 text-right">{figure(query.slowest_ms)}</td>
                <td className="pt-1 text-right">{query.rows === null ? '–' : whole(Number(query.rows))}</td>
                <td className="pl-3 pt-1">
                  {query.shape !== 'plain' && <Ask how={SHAPES[query.shape].how}>{SHAPES[query.shape].words}</Ask>}
                  {query.owners.length > 1 && (
                    <span className="block">asked by {plural(query.owners.length, 'owner')}</span>
                  )}
                  {finding && (
                    <button className="block text-accent" onClick={finding}>
                      finding
                    </button>
                  )}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      {matching.length > SHOWN && (
        <button className="btn mt-2" onClick={() => setAll(!all)}>
          {all ? 'show fewer' : `show all ${matching.length}`}
        </button>
      )}
      {!matching.length && (
        <p className="py-3 text-ink-2">No query took {ms(least)} or longer; a lower figure shows more.</p>
      )}
    </section>
  );
}

const figure = (value: number) => (value < 9.95 ? value.toFixed(1) : whole(Math.round(value)));
