import { ArrowDown, ArrowUp, Trash2 } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import { Link, useParams } from 'react-router';
import { usePlan, usePlanChanges } from '../../api/queries';
import { useTried } from '../../api/trials';
import type { FixState, PlannedFix, TriedFix } from '../../api/types';
import { Ask } from '../../parts/Ask';
import { EFFORT, ms, plural, RISK, STATES } from '../../parts/format';
import { Empty, Trouble, Waiting } from '../../parts/states';
import { useRowKeys } from '../../shell/keys';
import { Modal } from '../../shell/Modal';
import { useNotice } from '../../shell/notices';
import { useSelection } from '../../shell/selection';
import { signed, VERDICTS } from '../trials/words';

/** A site's fixes, in order. */
export default function PlanView() {
  const site = useParams().site;
  const plan = usePlan(site);
  const tried = useTried(site);
  const changes = usePlanChanges(site);
  const say = useNotice();
  const [selection, select] = useSelection();
  const [asideFor, setAsideFor] = useState<PlannedFix | null>(null);
  const body = useRef<HTMLTableSectionElement>(null);
  useEffect(() => {
    document.title = `Plan, ${site} · Phainon`;
  }, [site]);
  const fixes = plan.data?.fixes ?? [];
  const active = fixes.filter((f) => f.state !== 'set_aside');
  const aside = fixes.filter((f) => f.state === 'set_aside');
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
            undo: () => changes.set.mutate({ id: fix.id, state: fix.state, reason: fix.reason }),
          }),
        onError: bad,
      },
    );
  };
  const remove = (fix: PlannedFix) =>
    changes.remove.mutate(fix.id, {
      onSuccess: () =>
        say({
          text: 'The fix was taken out of the plan.',
          undo: () => changes.add.mutate({ ...fix, edit: fix.fix.edit }),
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
  return (
    <main className="min-h-0 overflow-y-auto bg-sheet px-6 pb-10 pt-3">
      <h1 className="text-[26px] leading-tight">
        {active.length
          ? `${plural(active.length, 'fix', 'fixes')} for ${site}${done ? `, ${done} done` : ''}`
          : `No fix in the plan for ${site} yet`}
      </h1>
      {fixes.length === 0 ? (
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
                : 'Ordered by the milliseconds of the path that each finding is about. That is where time goes, not a forecast of what a fix brings; overlaps are not taken off.'}
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
          <TryAll fixes={active} />
          <table className="mt-4 w-full text-[13px]">
            <thead>
              <tr className="border-b border-rule-strong">
                <th className="w-8 py-1 text-right">#</th>
                <th className="pl-4">Fix</th>
                <th className="w-[80px]">
                  <Ask how="As a rule for this kind of fix; your site may differ.">Effort</Ask>
                </th>
                <th className="w-[90px]">
                  <Ask how="As a rule for this kind of fix: what can go wrong with it.">Risk</Ask>
                </th>
                <th className="w-[110px] text-right">
                  <Ask how="The sum of the path’s legs that the finding is about, in the load it was added from. A fix may bring less.">
                    On the path
                  </Ask>
                </th>
                <th className="w-[150px] pl-5">
                  <Ask how="What the newest trial of this fix alone did to the largest paint, with the 95 % interval: the recorded load, really loaded again with the fix.">
                    Tried
                  </Ask>
                </th>
                <th className="w-[120px] pl-5">State</th>
                <th className="w-[110px]">
                  <span className="sr-only">Move or take out</span>
                </th>
              </tr>
            </thead>
            <tbody ref={body}>
              {active.map((fix, i) => (
                <tr
                  key={fix.id}
                  tabIndex={0}
                  aria-label={`${i + 1}. ${fix.fix.title}, ${STATES[fix.state]}`}
                  onFocus={() => select({ kind: 'fix', id: fix.id })}
                  onKeyDown={(e) => {
                    if (e.altKey && (e.key === 'ArrowUp' || e.key === 'ArrowDown')) {
                      e.preventDefault();
                      move(i, e.key === 'ArrowUp' ? -1 : 1);
                    }
                  }}
                  className={`border-b border-rule align-top ${i === at ? 'bg-soft' : ''}`}
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
                  </td>
                  <td className="pt-2">{EFFORT[fix.fix.effort]}</td>
                  <td className="pt-2">{RISK[fix.fix.risk]}</td>
                  <td className="pt-2 text-right">
                    {fix.on_path_ms > 0 ? (
                      <strong className="font-serif text-[17px] font-medium">{ms(fix.on_path_ms)}</strong>
                    ) : (
                      <span className="text-ink-2">off it</span>
                    )}
                  </td>
                  <td className="pl-5 pt-2">
                    <TriedAlone fix={fix} tried={tried.data?.find((t) => t.key === fix.fix.key)} />
                  </td>
                  <td className="pl-5 pt-1.5">
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
                  </td>
                  <td className="whitespace-nowrap pt-1 text-right">
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
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
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
      <Aside
        fix={asideFor}
        onClose={() => setAsideFor(null)}
        onSay={(fix, reason) => setState(fix, 'set_aside', reason)}
      />
    </main>
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
          <strong className="font-serif text-[17px] font-medium">{signed('lcp', c.difference)}</strong>
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
