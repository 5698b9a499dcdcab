import { useState } from 'react';
import { useSearch } from '../../api/plan';
import type { CandidateFix, Metric, Proposal, Way } from '../../api/types';
import { CheckMenu } from '../../parts/CheckMenu';
import { changeOf, moves } from '../../parts/forecast';
import { METRICS, metricText, plural, whole, signed } from '../../parts/format';
import { useKeys } from '../../shell/keys';

const COUNT: Metric[] = ['lcp', 'fcp', 'tbt', 'cls', 'speed_index', 'weight'];

const WAYS: Record<Way, string> = {
  every_set: 'Every set of the fixes that move anything was run: there is none better by the forecast.',
  bounded:
    'All sets that could be better were run; passed over are those that cannot be, given that no fix undoes another.',
  greedy: 'So many fixes are not searched through: they were taken one by one and exchanged as long as that helped.',
};

/** The two questions, and what the searches found. */
export function Questions(props: { site: string; take: (fixes: CandidateFix[]) => void; ready: boolean }) {
  const { search, ask, clear } = useSearch(props.site);
  const [effort, setEffort] = useState(8);
  const [metrics, setMetrics] = useState<Metric[]>(COUNT.slice(0, 5));
  const running = search.state === 'waiting' || search.state === 'searching';
  const take = () => {
    if (search.state !== 'done') return;
    props.take(search.found.fixes);
    clear();
  };
  useKeys(search.state === 'done' && search.found.fixes.length ? { t: take } : {});
  return (
    <section aria-label="Questions" className="mt-3">
      <div className="flex flex-wrap items-center gap-2 text-[13px]">
        <button
          className="btn"
          disabled={!props.ready || running}
          onClick={() => ask({ ask: 'least_effort' }, metrics)}
        >
          Least effort to reach the targets
        </button>
        <form
          className="flex items-center gap-1"
          onSubmit={(e) => {
            e.preventDefault();
            ask({ ask: 'best', effort }, metrics);
          }}
        >
          <button className="btn" disabled={!props.ready || running || !(effort > 0)}>
            Best for this effort:
          </button>
          <label className="flex items-center gap-1">
            <span className="sr-only">Points of effort</span>
            <input
              type="number"
              min={1}
              step="any"
              className="field !w-[64px] !py-1 text-right"
              value={effort}
              onChange={(e) => setEffort(Number(e.target.value))}
            />
            <span className="text-ink-2">points</span>
          </label>
        </form>
        <CheckMenu
          items={COUNT.map((m) => ({ id: m, name: METRICS[m].short, how: METRICS[m].words }))}
          on={metrics}
          toggle={(id) =>
            setMetrics((now) => {
              const next = COUNT.filter((m) => (m === id) !== now.includes(m));
              return next.length ? next : now;
            })
          }
        >
          {metrics.length === 5 && !metrics.includes('weight')
            ? 'the five of Pace count'
            : `${plural(metrics.length, 'metric')} count`}
        </CheckMenu>
      </div>
      {running && (
        <p role="status" className="mt-2 flex items-center gap-3 text-[13px]">
          {search.state === 'waiting'
            ? 'Waiting until nothing is being measured …'
            : `Searching: ${whole(search.sets)} sets of fixes run`}
          <button className="btn" onClick={clear}>
            Cancel
          </button>
        </p>
      )}
      {search.state === 'failed' && (
        <p role="alert" className="mt-2 border-l-4 border-past bg-paper px-3 py-2 text-[13px]">
          {search.why}
        </p>
      )}
      {search.state === 'done' && <Found found={search.found} take={take} clear={clear} />}
    </section>
  );
}

function Found({ found, take, clear }: { found: Proposal; take: () => void; clear: () => void }) {
  const beyond = found.pages
    .map((p, i) => ({ name: `${p.page}, ${p.conditions || 'imported'}`, metrics: found.beyond[i] ?? [] }))
    .filter((p) => p.metrics.length);
  const all = found.fixes.length === 0;
  return (
    <section aria-label="What was found" className="mt-3 border-l-4 border-accent bg-paper px-4 py-3 text-[13px]">
      <h2 className="text-[18px]">
        {all
          ? found.reached
            ? 'All is within the targets: nothing has to be done'
            : 'No fix brings these pages nearer to their targets'
          : found.reached
            ? `${plural(found.fixes.length, 'fix', 'fixes')}, ${found.effort} points, and every page is within its targets`
            : `${plural(found.fixes.length, 'fix', 'fixes')}, ${found.effort} points: as near to the targets as it gets`}
      </h2>
      {beyond.length > 0 && (
        <p className="text-ink-2">
          Still beyond:{' '}
          {beyond.map((p) => `${p.name} in ${p.metrics.map((m) => METRICS[m].short).join(', ')}`).join('; ')}.
        </p>
      )}
      <ol className="mt-2">
        {found.fixes.map((fix, i) => {
          const brings = found.steps[i + 1]?.brings ?? [];
          const moved = brings.filter(moves);
          return (
            <li key={fix.fix.key} className="flex gap-3 border-t border-rule py-1">
              <span className="w-5 shrink-0 text-right font-serif text-[15px] text-ink-2">{i + 1}</span>
              <span className="min-w-0 flex-1 [overflow-wrap:anywhere]">{fix.fix.title}</span>
              <span className="shrink-0 text-ink-2">{plural(fix.effort, 'point')}</span>
              <span className="w-[310px] shrink-0 text-right">
                {moved.length
                  ? moved
                      .slice(0, 3)
                      .map((b) => `${METRICS[b.metric].short} ${signed(b.metric, changeOf(b))}`)
                      .join(', ')
                  : 'little'}
              </span>
            </li>
          );
        })}
      </ol>
      {found.steps.length > 1 && <Sum found={found} />}
      <p className="mt-2 text-ink-2">
        {WAYS[found.way]} {whole(found.sets)} sets, {found.candidates} fixes.
        {found.stopped && ' It was ended before it was through.'}
      </p>
      <details className="mt-1">
        <summary className="label !mb-0 cursor-pointer">
          {plural(found.left_out.length, 'fix', 'fixes')} left out, and why
        </summary>
        <ul className="max-h-[200px] overflow-y-auto">
          {found.left_out.map(({ fix, why }) => (
            <li key={fix.fix.key} className="border-t border-rule py-0.5 [overflow-wrap:anywhere]">
              {fix.fix.title} <span className="text-ink-2">{why}</span>
            </li>
          ))}
        </ul>
      </details>
      <p className="mt-3 flex gap-2">
        {!all && (
          <button className="btn btn-main" onClick={take}>
            Take this order over <span className="key">t</span>
          </button>
        )}
        <button className="btn" onClick={clear}>
          Put it away
        </button>
      </p>
    </section>
  );
}

/** Before the first of the proposed fixes and after the last. */
function Sum({ found }: { found: Proposal }) {
  const [first, last] = [found.steps[0]?.brings ?? [], found.steps.at(-1)?.brings ?? []];
  return (
    <p className="mt-2 border-t border-rule-strong pt-1">
      {first
        .map((b) => ({ b, after: last.find((l) => l.metric === b.metric)?.after }))
        .filter(({ after }) => after !== undefined)
        .map(
          ({ b, after }) =>
            `${METRICS[b.metric].short} ${metricText(b.metric, b.after)} → ${metricText(b.metric, after ?? 0)}`,
        )
        .join(', ')}
    </p>
  );
}
