import { Link } from 'react-router';
import { useRecording, useStartJob } from '../../api/queries';
import { usePlanPages } from '../../api/plan';
import type { PlannedFix, Proof } from '../../api/types';
import { changeOf, moves } from '../../parts/forecast';
import { day, METRICS, ms, plural, signed } from '../../parts/format';
import { useNotice } from '../../shell/notices';
import { VERDICTS } from '../trials/words';

/** Whether fixes that were made kept their word, page by page. */
export function Proofs({ site, proofs, fixes }: { site: string; proofs: Proof[]; fixes: PlannedFix[] }) {
  if (!proofs.length) return null;
  return (
    <section aria-label="Did they keep their word?" className="mt-8">
      <h2 className="text-[18px]">Did they keep their word?</h2>
      {/* What was measured comes first. */}
      {proofs
        .toSorted((x, y) => Number(y.measured.length > 0) - Number(x.measured.length > 0))
        .map((proof) => (
          <OfPage
            key={`${proof.page} ${proof.conditions} ${proof.fixes.join()}`}
            site={site}
            proof={proof}
            fixes={fixes}
          />
        ))}
    </section>
  );
}

function OfPage({ site, proof, fixes }: { site: string; proof: Proof; fixes: PlannedFix[] }) {
  const made = fixes.filter((f) => proof.fixes.includes(f.id));
  const told = proof.forecast.filter((f) => ['lcp', 'fcp', 'tbt', 'cls', 'speed_index', 'weight'].includes(f.metric));
  const ids = (list: Proof['before']) => list.map((r) => r.id).join(',');
  return (
    <article className="mt-3 border-t border-rule-strong pt-2 text-[13px]">
      <h3 className="text-[15px]">
        {proof.page}, {proof.conditions || 'imported'}
      </h3>
      <p className="text-ink-2 [overflow-wrap:anywhere]">{made.map((f) => f.fix.title).join('; ')}</p>
      <p className="mt-1 flex flex-wrap items-baseline gap-x-4">
        {[...proof.before].reverse().map((r) => (
          <Past key={r.id} recording={r} />
        ))}
        <strong>
          {plural(made.length, 'fix', 'fixes')}
          {made[0]?.about.done_at && `, ${day(made[0].about.done_at)}`}
        </strong>
        {proof.after.map((r) => (
          <Past key={r.id} recording={r} />
        ))}
      </p>
      {proof.measured.length ? (
        <>
          <table className="mt-1 w-full max-w-[720px]">
            <thead>
              <tr>
                <th>Metric</th>
                <th className="text-right">○ forecast</th>
                <th className="text-right">● measured</th>
                <th className="pl-4">interval</th>
                <th>verdict</th>
              </tr>
            </thead>
            <tbody>
              {told.map((f) => {
                const c = proof.measured.find((m) => m.metric === f.metric);
                return (
                  <tr key={f.metric} className="border-t border-rule">
                    <td className="py-0.5">{METRICS[f.metric].short}</td>
                    <td className="text-right">{signed(f.metric, changeOf(f))}</td>
                    <td className="text-right font-semibold">{c ? signed(c.metric, c.difference) : '–'}</td>
                    <td className="pl-4 text-ink-2">
                      {c && c.low !== null && c.high !== null
                        ? `${signed(c.metric, c.low)} … ${signed(c.metric, c.high)}`
                        : 'too few loads'}
                    </td>
                    <td>
                      {c && VERDICTS[c.verdict]}
                      {c?.loads_needed != null && (
                        <span className="text-ink-2">; {c.loads_needed} loads of each might tell</span>
                      )}
                    </td>
                  </tr>
                );
              })}
            </tbody>
          </table>
          <Link className="text-accent" to={`/compare?a=${ids(proof.before)}&b=${ids(proof.after)}`}>
            Compare in full
          </Link>
        </>
      ) : (
        <Again site={site} proof={proof} />
      )}
    </article>
  );
}

function Past({ recording }: { recording: Proof['before'][number] }) {
  return (
    <Link className="hover:text-accent" to={`/recordings/${recording.id}/glance`}>
      {day(recording.recorded_at)}: {ms(recording.lcp_ms)}{' '}
      <span className="text-ink-2">({plural(recording.loads, 'load')})</span>
    </Link>
  );
}

/** Records the page again under the same conditions. */
function Again({ site, proof }: { site: string; proof: Proof }) {
  const pages = usePlanPages(site);
  const start = useStartJob();
  const say = useNotice();
  const [last] = proof.before;
  const head = useRecording(last?.id ?? 0, last !== undefined);
  const row = pages.data?.find((p) => p.page === proof.page && p.conditions === proof.conditions);
  const [lcp] = proof.forecast.filter((f) => f.metric === 'lcp');
  const loads = Math.max(5, last?.loads ?? 5);
  const conditions = head.data?.conditions;
  const record = () =>
    conditions &&
    start.mutate(
      { pages: [{ url: row?.url ?? proof.url, page: proof.page }], conditions: [conditions], loads },
      {
        onSuccess: () => say({ text: 'It is being recorded again; the plan follows by itself.' }),
        onError: (error) => say({ text: error.message, bad: true }),
      },
    );
  return (
    <p className="mt-1">
      {lcp &&
        (moves(lcp)
          ? `Forecast ${signed('lcp', changeOf(lcp))} for the largest paint. `
          : 'Forecast no change of the largest paint. ')}
      Not recorded since it was made.{' '}
      <button className="btn !py-0" disabled={!conditions || start.isPending} onClick={record}>
        Record it again, {loads} loads
      </button>
      {conditions === null && ' An imported load cannot be made again here.'}
    </p>
  );
}
