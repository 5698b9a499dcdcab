import { ArrowDown, ArrowUp, Trash2 } from 'lucide-react';
import { useEffect, useMemo, useRef, useState } from 'react';
import { Link, useParams } from 'react-router';
import { useCandidates, usePlanLine, usePlanPages, useProofs } from '../../api/plan';
import { useJobs, usePlan, usePlanChanges } from '../../api/queries';
import { useTried } from '../../api/trials';
import type { AboutFix, CandidateFix, FixState, Metric, PlannedFix, PlanStep, Proof, TriedFix } from '../../api/types';
import { Ask } from '../../parts/Ask';
import { changeOf, moves } from '../../parts/forecast';
import { METRICS, metricText, ms, plural, RISK, STATES, signed } from '../../parts/format';
import { Empty, Trouble, Waiting } from '../../parts/states';
import { useRowKeys } from '../../shell/keys';
import { useParam } from '../../parts/useParam';
import { Modal } from '../../shell/Modal';
import { useNotice } from '../../shell/notices';
import { useSelection } from '../../shell/selection';
import { VERDICTS } from '../trials/words';
import { Candidates } from './Candidates';
import { Falling } from './Falling';
import { FixMargin } from './FixMargin';
import { Pages } from './Pages';
import { Proofs } from './Proofs';
import { Questions } from './Questions';

const SHOWN: Metric[] = ['lcp', 'fcp', 'tbt', 'cls', 'speed_index', 'weight'];

/** A site's fixes, in order. */
export default function PlanView() {
  const site = useParams().site;
  const plan = usePlan(site);
  const tried = useTried(site);
  const changes = usePlanChanges(site);
  const say = useNotice();
  const [selection, select] = useSelection();
  const dragged = useRef<number | null>(null);
  const [asideFor, setAsideFor] = useState<PlannedFix | null>(null);
  const body = useRef<HTMLTableSectionElement>(null);
  useEffect(() => {
    document.title = `Plan, ${site} · Phainon`;
  }, [site]);
  const fixes = plan.data?.fixes ?? [];
  const active = fixes.filter((f) => f.state !== 'set_aside');
  const aside = fixes.filter((f) => f.state === 'set_aside');
  const pages = usePlanPages(site);
  const candidates = useCandidates(site);
  const [metricWord, setMetric] = useParam('metric', 'lcp');
  const metric = SHOWN.find((m) => m === metricWord) ?? 'lcp';
  // What is made is in the newest recordings already.
  const open = useMemo(
    () => (plan.data?.fixes ?? []).filter((f) => f.state === 'open' || f.state === 'doing'),
    [plan.data],
  );
  const line = usePlanLine(
    site,
    useMemo(() => open.map((f) => f.fix.edit), [open]),
    plan.isSuccess && Boolean(pages.data?.length),
  );
  const proofs = useProofs(
    site,
    fixes.some((f) => f.state === 'done'),
  );
  // What is recorded meanwhile belongs to the plan.
  const { data: jobs } = useJobs();
  const busy = jobs?.length ?? 0;
  const refetch = useRef(() => {});
  useEffect(() => {
    refetch.current = () => void Promise.all([pages.refetch(), proofs.refetch(), candidates.refetch(), line.refetch()]);
  });
  const before = useRef(busy);
  useEffect(() => {
    if (busy < before.current) refetch.current();
    before.current = busy;
  }, [busy]);
  const at = selection?.kind === 'fix' ? active.findIndex((f) => f.id === selection.id) : -1;
  const bad = (error: Error) => say({ text: error.message, bad: true });

  const reorder = (ids: number[], text: string) => {
    const before = plan.data?.own_order ? active.map((f) => f.id) : null;
    changes.order.mutate([...ids, ...aside.map((f) => f.id)], {
      onSuccess: () => say({ text, undo: () => changes.order.mutate(before) }),
      onError: bad,
    });
  };
  const move = (index: number, by: number) => {
    const ids = active.map((f) => f.id);
    const other = index + by;
    const [a, b] = [ids[index], ids[other]];
    if (a === undefined || b === undefined) return;
    ids[index] = b;
    ids[other] = a;
    reorder(ids, 'Moved. The order is now your own.');
  };
  const drop = (onto: number) => {
    const [from, ids] = [dragged.current, active.map((f) => f.id)];
    dragged.current = null;
    if (from === null || from === onto) return;
    const [id] = ids.splice(from, 1);
    if (id === undefined) return;
    ids.splice(onto, 0, id);
    reorder(ids, 'Moved. The order is now your own.');
  };
  const setState = (fix: PlannedFix, state: FixState, reason: string | null = null) => {
    if (state === 'set_aside' && !reason) {
      setAsideFor(fix);
      return;
    }
    changes.set.mutate(
      { id: fix.id, state, reason },
      {
        onSuccess: () =>
          say({
            text: `${fix.fix.title}: ${STATES[state]}.`,
            // When it was made is part of what is taken back.
            undo: () => changes.set.mutate({ id: fix.id, state: fix.state, reason: fix.reason, about: fix.about }),
          }),
        onError: bad,
      },
    );
  };
  const change = (fix: PlannedFix, about: AboutFix) =>
    changes.set.mutate(
      { id: fix.id, about },
      {
        onSuccess: () => say({ text: 'Kept.', undo: () => changes.set.mutate({ id: fix.id, about: fix.about }) }),
        onError: bad,
      },
    );
  const add = (c: CandidateFix) => changes.add.mutateAsync(fixOf(c));
  const takeOver = async (proposed: CandidateFix[]) => {
    const order = plan.data?.own_order ? fixes.map((f) => f.id) : null;
    const added: number[] = [];
    try {
      const ids: number[] = [];
      for (const candidate of proposed) {
        const known = fixes.find((f) => f.fix.key === candidate.fix.key);
        const id = known?.id ?? (await add(candidate)).id;
        if (!known) added.push(id);
        ids.push(id);
      }
      const rest = fixes.map((f) => f.id).filter((id) => !ids.includes(id));
      await changes.order.mutateAsync([...ids, ...rest]);
      say({
        text: `${plural(proposed.length, 'fix', 'fixes')} put first, in the proposed order.`,
        undo: () => {
          for (const id of added) changes.remove.mutate(id);
          changes.order.mutate(order);
        },
      });
    } catch (error) {
      bad(error as Error);
    }
  };
  const remove = (fix: PlannedFix) =>
    changes.remove.mutate(fix.id, {
      onSuccess: () =>
        say({
          text: 'The fix was taken out of the plan.',
          undo: () => changes.add.mutate({ ...fix, edit: fix.fix.edit, about: fix.about }),
        }),
      onError: bad,
    });
  const go = (index: number) => {
    const fix = active[index];
    if (fix) select({ kind: 'fix', id: fix.id });
    body.current?.rows[index]?.focus();
  };
  useRowKeys(at, active.length, go, { Escape: () => select(null) });

  if (plan.error) return <Trouble error={plan.error} again={() => void plan.refetch()} />;
  if (!plan.data) return <Waiting />;
  const done = active.filter((f) => f.state === 'done').length;
  const chosen = active[at];
  const stepOf = (fix: PlannedFix) => {
    const place = open.findIndex((f) => f.id === fix.id);
    return place >= 0 ? line.data?.steps[place + 1] : undefined;
  };
  const reached = line.data ? reachedAt(line.data.steps, metric, line.data.targets) : null;
  const inPlan = new Set(fixes.map((f) => f.fix.key));
  return (
    <div className={`grid min-h-0 ${chosen ? 'grid-cols-[minmax(0,1fr)_320px]' : 'grid-cols-[minmax(0,1fr)]'}`}>
      <main className="min-h-0 overflow-y-auto bg-sheet px-6 pb-10 pt-3">
        <h1 className="text-[26px] leading-tight">
          {active.length
            ? `${plural(active.length, 'fix', 'fixes')} for ${site}${done ? `, ${done} done` : ''}`
            : `No fix in the plan for ${site} yet`}
        </h1>
        {pages.data && pages.data.length > 0 && site && <Pages site={site} rows={pages.data} />}
        {site && pages.data && pages.data.length > 0 && (
          <Questions site={site} ready={pages.isSuccess} take={(proposed) => void takeOver(proposed)} />
        )}
        {fixes.length === 0 && pages.data?.length ? (
          <p className="mt-4 text-[13.5px] text-ink-2">
            Ask one of the two questions above, add fixes below, or add them from the findings of a recording with{' '}
            <span className="key">.</span>.
          </p>
        ) : fixes.length === 0 ? (
          <Empty title="A plan is made from findings">
            <p>
              Open a recording, look at its findings, and add the fixes worth doing with <span className="key">.</span>;
              they come together here, in order.
            </p>
            <Link className="btn mt-3" to="/recordings">
              All recordings
            </Link>
          </Empty>
        ) : (
          <>
            <div className="mt-1 flex items-center gap-3">
              <p className="text-[13.5px] text-ink-2">
                {plan.data.own_order
                  ? 'In your own order.'
                  : 'Ordered by the milliseconds of the path that each finding is about.'}{' '}
                {line.data && 'Each gain is what remains after the fixes above.'}
              </p>
              {plan.data.own_order && (
                <button
                  className="btn"
                  onClick={() => {
                    const ids = fixes.map((f) => f.id);
                    changes.order.mutate(null, {
                      onSuccess: () =>
                        say({ text: 'Ordered by milliseconds on the path.', undo: () => changes.order.mutate(ids) }),
                    });
                  }}
                >
                  Order by milliseconds on the path
                </button>
              )}
            </div>
            {line.error && (
              <p className="mt-2 text-[13px] text-ink-2">The forecast could not be made: {line.error.message}</p>
            )}
            {line.data && line.data.steps.length > 1 && (
              <>
                <label className="mt-2 flex items-center gap-2 text-[13px]">
                  <span className="text-ink-2">The line shows</span>
                  <select className="field !w-auto !py-0.5" value={metric} onChange={(e) => setMetric(e.target.value)}>
                    {SHOWN.map((m) => (
                      <option key={m} value={m}>
                        {METRICS[m].short}, {METRICS[m].words}
                      </option>
                    ))}
                  </select>
                  <span className="text-ink-2">the mean over {plural(line.data.pages.length, 'page')} by visits</span>
                </label>
                <Falling
                  line={line.data}
                  metric={metric}
                  keys={open.map((f) => f.fix.key)}
                  tried={tried.data ?? []}
                  selected={chosen ? open.findIndex((f) => f.id === chosen.id) : -1}
                  onPick={(i) => open[i] && select({ kind: 'fix', id: open[i].id })}
                />
              </>
            )}
            <TryAll fixes={active} />
            <table className="mt-4 w-full text-[13px]">
              <thead>
                <tr className="border-b border-rule-strong">
                  <th className="w-8 py-1 text-right">#</th>
                  <th className="pl-4">Fix</th>
                  <th className="w-[84px]">
                    <Ask how="Effort in points (small 1, medium 3, large 8) and what can go wrong: as a rule for this kind of fix, as its owner is noted, or as you say.">
                      Effort, risk
                    </Ask>
                  </th>
                  <th className="w-[84px] text-right">
                    <Ask how="By forecast, after the fixes above: the mean over the pages by their visits. Under it, where the metric stands then. Where no page counts, the milliseconds of the path that the finding is about.">
                      ○ {METRICS[metric].short}
                    </Ask>
                  </th>
                  <th className="w-[146px] pl-4">
                    <Ask how="What the newest trial of this fix alone did to the largest paint, with the 95 % interval: the recorded load, really loaded again with the fix.">
                      ◐ tried ● measured
                    </Ask>
                  </th>
                  <th className="w-[104px] pl-3">State</th>
                </tr>
              </thead>
              <tbody ref={body}>
                {active.map((fix, i) => (
                  <tr
                    key={fix.id}
                    tabIndex={0}
                    draggable
                    onDragStart={() => (dragged.current = i)}
                    onDragOver={(e) => e.preventDefault()}
                    onDrop={() => drop(i)}
                    aria-label={`${i + 1}. ${fix.fix.title}, ${STATES[fix.state]}`}
                    // Not for what stands in the row: the margin that opens would move a button from under the pointer.
                    onFocus={(e) => e.target === e.currentTarget && select({ kind: 'fix', id: fix.id })}
                    onKeyDown={(e) => {
                      if (e.altKey && (e.key === 'ArrowUp' || e.key === 'ArrowDown')) {
                        e.preventDefault();
                        move(i, e.key === 'ArrowUp' ? -1 : 1);
                      }
                    }}
                    className={`border-b align-top ${reached !== null && open[reached]?.id === fix.id ? 'border-ink' : 'border-rule'} ${i === at ? 'bg-soft' : ''}`}
                  >
                    <td className="pt-2 text-right font-serif text-[17px] text-ink-2">{i + 1}</td>
                    <td className="py-2 pl-4">
                      <span
                        className={`font-semibold [overflow-wrap:anywhere] ${fix.state === 'done' ? 'text-ink-2 line-through' : ''}`}
                      >
                        {fix.fix.title}
                      </span>
                      <span className="block text-[12.5px] text-ink-2 [overflow-wrap:anywhere]">
                        {fix.owner.name} · <Found fix={fix} />
                      </span>
                      {(fix.about.who || fix.about.note) && (
                        <span className="block text-[12.5px] [overflow-wrap:anywhere]">
                          {[fix.about.who, fix.about.note].filter(Boolean).join(': ')}
                        </span>
                      )}
                      {reached !== null && open[reached]?.id === fix.id && (
                        <strong className="block text-[12px]">here {METRICS[metric].short} is within its target</strong>
                      )}
                    </td>
                    <td className="pt-2">
                      {plural(fix.effort, 'point')}
                      <span className="block text-[12.5px] text-ink-2">{RISK[fix.risk]}</span>
                    </td>
                    <td className="pt-2 text-right">
                      <Gain fix={fix} step={stepOf(fix)} metric={metric} />
                    </td>
                    <td className="pl-4 pt-2">
                      <TriedAlone fix={fix} tried={tried.data?.find((t) => t.key === fix.fix.key)} />
                      <Measured fix={fix} proofs={proofs.data ?? []} />
                    </td>
                    <td className="pl-3 pt-1.5">
                      <select
                        aria-label={`State of: ${fix.fix.title}`}
                        className="rounded border border-rule-strong bg-sheet px-1 py-0.5"
                        value={fix.state}
                        onChange={(e) => setState(fix, e.target.value as FixState)}
                      >
                        {Object.entries(STATES).map(([value, words]) => (
                          <option key={value} value={value}>
                            {value === 'set_aside' ? `${words} …` : words}
                          </option>
                        ))}
                      </select>
                      <span className="mt-0.5 block whitespace-nowrap">
                        <button
                          className="btn btn-quiet !px-1"
                          disabled={i === 0}
                          aria-label={`Move up: ${fix.fix.title}`}
                          onClick={() => move(i, -1)}
                        >
                          <ArrowUp size={14} aria-hidden />
                        </button>
                        <button
                          className="btn btn-quiet !px-1"
                          disabled={i === active.length - 1}
                          aria-label={`Move down: ${fix.fix.title}`}
                          onClick={() => move(i, 1)}
                        >
                          <ArrowDown size={14} aria-hidden />
                        </button>
                        <button
                          className="btn btn-quiet !px-1"
                          aria-label={`Take out of the plan: ${fix.fix.title}`}
                          onClick={() => remove(fix)}
                        >
                          <Trash2 size={14} aria-hidden />
                        </button>
                      </span>
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
            {site && proofs.data && <Proofs site={site} proofs={proofs.data} fixes={fixes} />}
            {aside.length > 0 && (
              <section className="mt-8" aria-label="Set aside">
                <h2 className="text-[18px]">Set aside</h2>
                <ul className="mt-1">
                  {aside.map((fix) => (
                    <li key={fix.id} className="flex items-start gap-4 border-t border-rule py-2 text-[13px]">
                      <div className="min-w-0 flex-1">
                        <span className="text-ink-2 [overflow-wrap:anywhere]">{fix.fix.title}</span>
                        <span className="block">because: {fix.reason}</span>
                      </div>
                      <button className="btn" onClick={() => setState(fix, 'open')}>
                        Open it again
                      </button>
                      <button
                        className="btn btn-quiet"
                        aria-label={`Take out of the plan: ${fix.fix.title}`}
                        onClick={() => remove(fix)}
                      >
                        <Trash2 size={14} aria-hidden />
                      </button>
                    </li>
                  ))}
                </ul>
              </section>
            )}
          </>
        )}
        {site && candidates.data && pages.data && (
          <Candidates
            site={site}
            all={candidates.data.filter((c) => !inPlan.has(c.fix.key))}
            pages={pages.data.filter((p) => !p.left_out && p.share > 0)}
            add={(c) =>
              void add(c).then(
                ({ id }) => say({ text: `In the plan: ${c.fix.title}.`, undo: () => changes.remove.mutate(id) }),
                bad,
              )
            }
          />
        )}
        <Aside
          fix={asideFor}
          onClose={() => setAsideFor(null)}
          onSay={(fix, reason) => setState(fix, 'set_aside', reason)}
        />
      </main>
      {chosen && site && (
        <FixMargin
          site={site}
          fix={chosen}
          place={open.findIndex((f) => f.id === chosen.id)}
          step={stepOf(chosen)}
          before={line.data?.steps[open.findIndex((f) => f.id === chosen.id)]}
          pages={line.data?.pages ?? []}
          change={(about) => change(chosen, about)}
        />
      )}
    </div>
  );
}

/** A candidate as the plan takes it. */
const fixOf = (c: CandidateFix) => ({
  edit: c.fix.edit,
  owner: c.owner,
  on_path_ms: c.on_path_ms,
  finding_key: c.finding_key,
  finding_title: c.finding_title,
  recording: c.recording,
  load: c.load,
});

/** The place of the open fix after which the metric's mean is within its target; none where it is from the start, or never. */
function reachedAt(steps: PlanStep[], metric: Metric, targets: [Metric, number, number][]): number | null {
  const goal = targets.find(([m]) => m === metric)?.[1];
  if (goal === undefined) return null;
  const place = steps.findIndex((s) => (s.brings.find((b) => b.metric === metric)?.after ?? Infinity) <= goal);
  return place > 0 ? place - 1 : null;
}

/** What a fix brings after those above it, or what is known instead. */
function Gain({ fix, step, metric }: { fix: PlannedFix; step: PlanStep | undefined; metric: Metric }) {
  if (fix.state === 'done') return <span className="text-ink-2">made</span>;
  const brings = step?.brings.find((b) => b.metric === metric);
  if (!step || !brings)
    return fix.on_path_ms > 0 ? (
      <>
        <strong className="font-serif text-[17px] font-medium">{ms(fix.on_path_ms)}</strong>
        <span className="block text-[12px] text-ink-2">on the path</span>
      </>
    ) : (
      <span className="text-ink-2">off it</span>
    );
  if (!step.on.length) return <span className="text-ink-2">not known</span>;
  const other = step.brings.find((b) => b.metric !== metric && b.metric !== 'weight' && moves(b) && changeOf(b) < 0);
  return (
    <>
      {moves(brings) ? (
        <strong className="font-serif text-[17px] font-medium">{signed(metric, changeOf(brings))}</strong>
      ) : (
        <span className="text-ink-2">no change</span>
      )}
      <span className="block text-[12px] text-ink-2">
        {!moves(brings) && other
          ? `${METRICS[other.metric].short} ${signed(other.metric, changeOf(other))}`
          : `then ${metricText(metric, brings.after)}`}
      </span>
    </>
  );
}

/** What was measured of a fix that is made; with others, where they were made between the same recordings. */
function Measured({ fix, proofs }: { fix: PlannedFix; proofs: Proof[] }) {
  if (fix.state !== 'done') return null;
  const own = proofs.filter((p) => p.fixes.includes(fix.id));
  const found = own.map((p) => ({ p, c: p.measured.find((m) => m.metric === 'lcp') })).find(({ c }) => c);
  if (!found?.c)
    return (
      <span className="block text-[12px] text-ink-2">{own.length ? 'not recorded since' : 'nothing to measure'}</span>
    );
  return (
    <span className="block text-[12.5px]">
      ● {signed('lcp', found.c.difference)}, {VERDICTS[found.c.verdict]}
      {found.p.fixes.length > 1 && <span className="text-ink-2">, with {found.p.fixes.length - 1} more</span>}
    </span>
  );
}

/** Where the fixes are chosen to be tried together on a load. */
function trialOf(recording: number, load: number | null, fixes: PlannedFix[]): string {
  const search = new URLSearchParams(load ? { load: String(load) } : {});
  for (const fix of fixes) search.append('try', fix.fix.key);
  return `/recordings/${recording}/trials?${search}`;
}

/** What a trial of a fix alone came to, or where to make one. */
function TriedAlone({ fix, tried }: { fix: PlannedFix; tried: TriedFix | undefined }) {
  if (!tried) {
    if (fix.state === 'done') return null;
    if (fix.recording === null) return <span className="text-ink-2">not yet</span>;
    return (
      <Link
        className="text-accent"
        aria-label={`try it: ${fix.fix.title}`}
        to={trialOf(fix.recording, fix.load, [fix])}
      >
        try it
      </Link>
    );
  }
  const { lcp } = tried;
  const c = lcp?.compared;
  return (
    <Link className="hover:text-accent" to={`/recordings/${tried.recording}/trials/${tried.trial}`}>
      {tried.is_broken ? (
        <strong className="text-past">broke the page</strong>
      ) : c ? (
        <>
          ◐ <strong className="font-serif text-[17px] font-medium">{signed('lcp', c.difference)}</strong>
          <span className="block text-[12px] text-ink-2">
            {VERDICTS[lcp.verdict]}
            {c.low !== null && c.high !== null && `, ${signed('lcp', c.low)} … ${signed('lcp', c.high)}`}
          </span>
        </>
      ) : (
        'no largest paint'
      )}
    </Link>
  );
}

/** Leads to trials of every open fix, together or each alone, on the load that most of them were found in. */
function TryAll({ fixes }: { fixes: PlannedFix[] }) {
  const open = fixes.filter((f) => f.state === 'open' && f.recording !== null);
  const by = new Map<string, PlannedFix[]>();
  for (const fix of open)
    by.set(`${fix.recording} ${fix.load}`, [...(by.get(`${fix.recording} ${fix.load}`) ?? []), fix]);
  const most = [...by.values()].sort((a, b) => b.length - a.length)[0];
  const [first] = most ?? [];
  if (!most || most.length < 2 || !first || first.recording === null) return null;
  return (
    <p className="mt-2 text-[13.5px]">
      <Link className="btn" to={trialOf(first.recording, first.load, most)}>
        Try {most.length} open fixes together
      </Link>{' '}
      <Link className="btn" to={`${trialOf(first.recording, first.load, most)}&each=1`}>
        Try each of them alone
      </Link>
    </p>
  );
}

function Found({ fix }: { fix: PlannedFix }) {
  if (fix.recording === null) return <>{fix.finding_title}</>;
  const search = new URLSearchParams({
    sel: `finding:${fix.finding_key}`,
    ...(fix.load ? { load: String(fix.load) } : {}),
  });
  return (
    <Link className="hover:text-accent" to={`/recordings/${fix.recording}/findings?${search}`}>
      {fix.finding_title}
    </Link>
  );
}

function Aside({
  fix,
  onClose,
  onSay,
}: {
  fix: PlannedFix | null;
  onClose: () => void;
  onSay: (fix: PlannedFix, reason: string) => void;
}) {
  const [reason, setReason] = useState('');
  return (
    <Modal
      open={fix !== null}
      onOpenChange={(open) => !open && onClose()}
      title="Set aside, and why"
      about={fix?.fix.title ?? ''}
    >
      <form
        className="mt-3"
        onSubmit={(e) => {
          e.preventDefault();
          if (fix && reason.trim()) {
            onSay(fix, reason.trim());
            setReason('');
            onClose();
          }
        }}
      >
        <label className="label" htmlFor="reason">
          Reason, for whoever asks later
        </label>
        <textarea
          id="reason"
          className="field"
          rows={3}
          value={reason}
          onChange={(e) => setReason(e.target.value)}
          required
        />
        <div className="mt-3 flex justify-end gap-2">
          <button type="button" className="btn" onClick={onClose}>
            Cancel
          </button>
          <button className="btn btn-main">Set it aside</button>
        </div>
      </form>
    </Modal>
  );
}
