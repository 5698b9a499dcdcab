import { useEffect, useMemo, useRef, useState } from 'react';
import { Link, useParams } from 'react-router';
import { useCandidates, usePlanLine, usePlanPages, useProofs } from '../../api/plan';
import { useJobs, usePlan, usePlanChanges } from '../../api/queries';
import { useTried } from '../../api/trials';
import type { AboutFix, CandidateFix, FixState, Metric, PlannedFix, PlanStep, Proof } from '../../api/types';
import { DropButton } from '../../parts/DropButton';
import { Ask } from '../../parts/Ask';
import { METRICS, plural, STATES } from '../../parts/format';
import { Empty, Trouble, Waiting } from '../../parts/states';
import { useRowKeys } from '../../shell/keys';
import { useParam } from '../../parts/useParam';
import { Modal } from '../../shell/Modal';
import { useNotice } from '../../shell/notices';
import { useSelection } from '../../shell/selection';
import { Candidates } from './Candidates';
import { Falling } from './Falling';
import { FixMargin } from './FixMargin';
import { FixRow, type FixActs } from './FixRow';
import { Pages } from './Pages';
import { Proofs } from './Proofs';
import { Questions } from './Questions';
import { trialOf } from './tries';

const NONE: Proof[] = [];
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
  const [inView, setInView] = useState<[number, number] | null>(null);
  const line = usePlanLine(site, open, inView, plan.isSuccess && Boolean(pages.data?.length));
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

  const idsNow = () => (changes.now()?.fixes ?? []).filter((f) => f.state !== 'set_aside').map((f) => f.id);
  const reorder = (ids: number[], text: string) => {
    const by = new Map(open.map((f) => [f.id, f]));
    const next = ids.flatMap((id) => by.get(id) ?? []);
    const seen = stepsInView(body.current, ids, next);
    setInView(seen);
    line.foresee(next, seen);
    const before = changes.now()?.own_order ? idsNow() : null;
    // The new order is on the screen before the server has it: until then there must be no Undo of what was done before.
    say({ text: 'Moving…' });
    changes.order.mutate([...ids, ...aside.map((f) => f.id)], {
      onSuccess: () => say({ text, undo: () => changes.order.mutate(before) }),
      onError: bad,
    });
  };
  const move = (fix: PlannedFix, by: number) => {
    const ids = idsNow();
    const index = ids.indexOf(fix.id);
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

  const latest = useRef<FixActs>(null);
  useEffect(() => {
    latest.current = {
      choose: (fix) => select({ kind: 'fix', id: fix.id }),
      drag: (place) => (dragged.current = place),
      drop,
      move,
      setState,
      remove,
    };
  });
  const acts = useMemo<FixActs>(
    () => ({
      choose: (fix) => latest.current?.choose(fix),
      drag: (place) => latest.current?.drag(place),
      drop: (onto) => latest.current?.drop(onto),
      move: (fix, by) => latest.current?.move(fix, by),
      setState: (fix, state) => latest.current?.setState(fix, state),
      remove: (fix) => latest.current?.remove(fix),
    }),
    [],
  );

  if (plan.error) return <Trouble error={plan.error} again={() => void plan.refetch()} />;
  if (!plan.data) return <Waiting />;
  const done = active.filter((f) => f.state === 'done').length;
  const chosen = active[at];
  const reachedAfter = line.data ? reachedAt(line.data.steps, metric, line.data.targets) : null;
  const reached = reachedAfter === null ? undefined : line.data?.keys[reachedAfter];
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
                {active.map((fix, i) => {
                  const { step, isCurrent } = line.stepOf(fix.fix.key);
                  return (
                    <FixRow
                      key={fix.id}
                      fix={fix}
                      place={i}
                      isLast={i === active.length - 1}
                      isChosen={i === at}
                      isReached={reached === fix.fix.key}
                      step={step}
                      isCurrent={isCurrent}
                      metric={metric}
                      tried={tried.data?.find((t) => t.key === fix.fix.key)}
                      proofs={proofs.data ?? NONE}
                      acts={acts}
                    />
                  );
                })}
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
                      <DropButton label={`Take out of the plan: ${fix.fix.title}`} drop={() => remove(fix)} />
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
          step={line.stepOf(chosen.fix.key).step}
          before={line.stepOf(chosen.fix.key).before}
          pages={line.data?.pages ?? []}
          change={(about) => change(chosen, about)}
        />
      )}
    </div>
  );
}

/**
 * The steps of the open fixes whose rows are in view once the rows stand in this order, from the one before the first
 * to the last.
 */
function stepsInView(body: HTMLTableSectionElement | null, ids: number[], open: PlannedFix[]): [number, number] | null {
  const view = body?.closest('main')?.getBoundingClientRect();
  if (!body || !view) return null;
  const steps = new Map(open.map((fix, i) => [fix.id, i + 1]));
  const seen = [...body.rows].flatMap((row, i) => {
    const [box, id] = [row.getBoundingClientRect(), ids[i]];
    const step = id === undefined ? undefined : steps.get(id);
    return step !== undefined && box.bottom > view.top && box.top < view.bottom ? [step] : [];
  });
  return seen.length ? [Math.min(...seen) - 1, Math.max(...seen)] : null;
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
