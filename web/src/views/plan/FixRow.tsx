import { ArrowDown, ArrowUp } from 'lucide-react';
import { memo } from 'react';
import { Link } from 'react-router';
import type { FixState, Metric, PlannedFix, PlanStep, Proof, TriedFix } from '../../api/types';
import { DropButton } from '../../parts/DropButton';
import { changeOf, moves } from '../../parts/forecast';
import { METRICS, metricText, ms, plural, RISK, STATES, signed } from '../../parts/format';
import { VERDICTS } from '../trials/words';
import { trialOf } from './tries';

/** What can be done with the fix of a row; the same object at every drawing, so that only rows that change are drawn. */
export interface FixActs {
  choose: (fix: PlannedFix) => void;
  drag: (place: number) => void;
  drop: (onto: number) => void;
  move: (fix: PlannedFix, by: number) => void;
  setState: (fix: PlannedFix, state: FixState) => void;
  remove: (fix: PlannedFix) => void;
}

/** A fix of the plan: what it is, what it takes and brings, and what has become of it. */
export const FixRow = memo(function FixRow(props: {
  fix: PlannedFix;
  place: number;
  isLast: boolean;
  isChosen: boolean;
  isReached: boolean;
  step: PlanStep | undefined;
  isCurrent: boolean;
  metric: Metric;
  tried: TriedFix | undefined;
  proofs: Proof[];
  acts: FixActs;
}) {
  const { fix, place, metric, acts } = props;
  return (
    <tr
      tabIndex={0}
      draggable
      onDragStart={() => acts.drag(place)}
      onDragOver={(e) => e.preventDefault()}
      onDrop={() => acts.drop(place)}
      aria-label={`${place + 1}. ${fix.fix.title}, ${STATES[fix.state]}`}
      // Not for what stands in the row: the margin that opens would move a button from under the pointer.
      onFocus={(e) => e.target === e.currentTarget && acts.choose(fix)}
      onKeyDown={(e) => {
        if (e.altKey && (e.key === 'ArrowUp' || e.key === 'ArrowDown')) {
          e.preventDefault();
          acts.move(fix, e.key === 'ArrowUp' ? -1 : 1);
        }
      }}
      className={`border-b align-top ${props.isReached ? 'border-ink' : 'border-rule'} ${props.isChosen ? 'bg-soft' : ''}`}
    >
      <td className="pt-2 text-right font-serif text-[17px] text-ink-2">{place + 1}</td>
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
        {props.isReached && (
          <strong className="block text-[12px]">here {METRICS[metric].short} is within its target</strong>
        )}
      </td>
      <td className="pt-2">
        {plural(fix.effort, 'point')}
        <span className="block text-[12.5px] text-ink-2">{RISK[fix.risk]}</span>
      </td>
      <td className="pt-2 text-right">
        <Gain fix={fix} step={props.step} isCurrent={props.isCurrent} metric={metric} />
      </td>
      <td className="pl-4 pt-2">
        <TriedAlone fix={fix} tried={props.tried} />
        <Measured fix={fix} proofs={props.proofs} />
      </td>
      <td className="pl-3 pt-1.5">
        <select
          aria-label={`State of: ${fix.fix.title}`}
          className="rounded border border-rule-strong bg-sheet px-1 py-0.5"
          value={fix.state}
          onChange={(e) => acts.setState(fix, e.target.value as FixState)}
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
            disabled={place === 0}
            aria-label={`Move up: ${fix.fix.title}`}
            onClick={() => acts.move(fix, -1)}
          >
            <ArrowUp size={14} aria-hidden />
          </button>
          <button
            className="btn btn-quiet !px-1"
            disabled={props.isLast}
            aria-label={`Move down: ${fix.fix.title}`}
            onClick={() => acts.move(fix, 1)}
          >
            <ArrowDown size={14} aria-hidden />
          </button>
          <DropButton label={`Take out of the plan: ${fix.fix.title}`} drop={() => acts.remove(fix)} />
        </span>
      </td>
    </tr>
  );
});

/** What a fix brings after those above it, or what is known instead. */
function Gain(props: { fix: PlannedFix; step: PlanStep | undefined; isCurrent: boolean; metric: Metric }) {
  const { fix, step, isCurrent, metric } = props;
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
    <span className={isCurrent ? '' : 'opacity-50'}>
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
    </span>
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
