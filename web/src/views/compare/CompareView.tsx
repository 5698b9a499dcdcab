import { useEffect, useState } from 'react';
import { Link } from 'react-router';
import { useComparison, useMoreLoads } from '../../api/plan';
import { useRecent } from '../../api/queries';
import type { Comparison, Job, RecordingHead } from '../../api/types';
import { day, plural } from '../../parts/format';
import { Empty, Trouble, Waiting } from '../../parts/states';
import { useParam } from '../../parts/useParam';
import { useNotice } from '../../shell/notices';
import { isOver } from '../job/words';
import { Paths, Strips } from '../trials/Strips';
import { Files, Findings, FunctionsTable, OwnersTable, WorkTable } from './Differences';
import { Rulers } from './Rulers';

/** Two recordings of a page, or groups of them, held against each other. */
export default function CompareView() {
  const [a, setA] = useParam('a');
  const [b, setB] = useParam('b');
  const comparison = useComparison(a, b);
  useEffect(() => {
    document.title = 'Compare · Phainon';
  }, []);
  return (
    <main className="min-h-0 overflow-y-auto bg-sheet px-6 pb-10 pt-3">
      <h1 className="text-[26px] leading-tight">
        {comparison.data ? headline(comparison.data) : 'Compare two recordings'}
      </h1>
      <div className="mt-2 grid max-w-[900px] grid-cols-2 gap-4">
        <Side name="A" value={a} set={setA} heads={comparison.data?.a} />
        <Side name="B" value={b} set={setB} heads={comparison.data?.b} />
      </div>
      {!a || !b ? (
        <Empty title="Choose what is held against what">
          <p>A is what was before, B is what is better or worse than it. Several recordings can make one side.</p>
        </Empty>
      ) : comparison.error ? (
        <Trouble error={comparison.error} again={() => void comparison.refetch()} />
      ) : !comparison.data ? (
        <Waiting />
      ) : (
        <Compared of={comparison.data} a={a} b={b} set={[setA, setB]} />
      )}
    </main>
  );
}

function headline(of: Comparison): string {
  if (of.no_verdict) return 'Too unlike for a verdict';
  const lcp = of.metrics.find((m) => m.metric === 'lcp');
  if (!lcp) return 'Two recordings side by side';
  if (lcp.verdict === 'cannot_tell') return 'Whether the largest paint differs, these loads can’t tell';
  return `The largest paint is ${lcp.verdict} in B`;
}

/** One side: its recordings, and others of the site to put beside or in their place. */
function Side(props: {
  name: 'A' | 'B';
  value: string;
  set: (ids: string) => void;
  heads: RecordingHead[] | undefined;
}) {
  const [site] = props.heads ?? [];
  const known = useRecent(site?.site) ?? [];
  const ids = props.value.split(',').filter(Boolean);
  const called = (r: RecordingHead) =>
    `${r.page}, ${r.conditions?.name ?? 'imported'}, ${day(r.recorded_at)}, ${plural(r.loads.length, 'load')}`;
  const others = known.filter((r) => !ids.includes(String(r.id)));
  return (
    <section aria-label={`Side ${props.name}`} className="min-w-0 text-[13px]">
      <h2 className="subhead">{props.name === 'A' ? 'A, before' : 'B, against it'}</h2>
      <ul>
        {props.heads?.map((r) => (
          <li key={r.id} className="flex items-baseline gap-2">
            <Link className="min-w-0 truncate hover:text-accent" title={r.url} to={`/recordings/${r.id}/glance`}>
              {called(r)}
            </Link>
            <button
              className="text-ink-2 hover:text-accent"
              aria-label={`Take out of ${props.name}: ${called(r)}`}
              onClick={() => props.set(ids.filter((id) => id !== String(r.id)).join(','))}
            >
              ×
            </button>
          </li>
        ))}
      </ul>
      <select
        aria-label={`Add a recording to ${props.name}`}
        className="field mt-1 !py-0.5"
        value=""
        onChange={(e) => e.target.value && props.set([...ids, e.target.value].join(','))}
      >
        <option value="">{ids.length ? 'one more recording …' : 'a recording …'}</option>
        {others.slice(0, 200).map((r) => (
          <option key={r.id} value={r.id}>
            {called(r)}
          </option>
        ))}
      </select>
    </section>
  );
}

interface Held {
  of: Comparison;
  a: string;
  b: string;
  set: [(ids: string) => void, (ids: string) => void];
}

function Compared(props: Held) {
  const { of } = props;
  const [from, to] = [of.a[0], of.b[0]];
  return (
    <>
      {of.unlike.length > 0 && (
        <div
          role="note"
          className={`mt-3 max-w-[900px] border-l-4 bg-paper px-4 py-2 text-[13px] ${of.no_verdict ? 'border-past' : 'border-rule-strong'}`}
        >
          {of.unlike.map((line) => (
            <p key={line}>{line}</p>
          ))}
          {of.no_verdict && (
            <p className="font-semibold">Figures of the two stand beside each other, without a verdict.</p>
          )}
        </div>
      )}
      <p className="mt-3 text-[13px] text-ink-2">
        {plural(of.loads[0], 'load')} of A{from && ` from ${day(from.recorded_at)}`}, {plural(of.loads[1], 'load')} of B
        {to && ` from ${day(to.recorded_at)}`}.
      </p>
      <Rulers rows={of.metrics} plain={of.no_verdict} />
      {!of.no_verdict && <More {...props} />}
      <Strips replay={of.standing_a?.[0] ?? null} tried={of.standing_b?.[0] ?? null} names={['A', 'B']} />
      <Paths replay={of.standing_a?.[0] ?? null} tried={of.standing_b?.[0] ?? null} names={['A', 'B']} />
      <Files files={of.differences.files} same={of.differences.same_files} />
      <OwnersTable rows={of.differences.owners} />
      <div className="grid max-w-[1100px] grid-cols-2 gap-8">
        <WorkTable rows={of.differences.work} />
        <FunctionsTable rows={of.differences.functions} />
      </div>
      <Findings came={of.differences.came} went={of.differences.went} b={of.standing_b?.[0]} a={of.standing_a?.[0]} />
    </>
  );
}

/** More loads of both, turn by turn, which then belong to their sides. */
function More(props: Held) {
  const { of } = props;
  const start = useMoreLoads();
  const say = useNotice();
  const [begun, setBegun] = useState<Job[]>([]);
  const { set, a, b } = props;
  const batch = begun[0]?.batch;
  const open = begun.filter((job) => !isOver(job)).length;
  useEffect(() => {
    if (batch === undefined) return;
    const events = new EventSource(`/api/batches/${batch}/events`);
    events.onmessage = (event) => setBegun(JSON.parse(event.data as string) as Job[]);
    // A pause is bridged by the browser itself; what is gone for good ends the waiting.
    events.onerror = () => {
      if (events.readyState === EventSource.CLOSED) setBegun([]);
    };
    return () => events.close();
  }, [batch]);
  // Each job's recording joins its side once all are over; they were asked for turn by turn.
  useEffect(() => {
    if (batch === undefined || open) return;
    const made = (side: number) => begun.filter((_, i) => i % 2 === side).flatMap((j) => j.recording ?? []);
    setBegun([]);
    set[0]([a, ...made(0)].join(','));
    set[1]([b, ...made(1)].join(','));
  }, [batch, open, begun, set, a, b]);
  const least = Math.min(...of.loads);
  const more = of.loads_wanted ? Math.max(1, of.loads_wanted - least) : least < 5 ? 5 - least : 0;
  if (begun.length)
    return (
      <p role="status" className="mt-3 text-[13px]">
        More loads are being made, turn by turn: {plural(open, 'recording')} to go.
      </p>
    );
  if (!more) return null;
  return (
    <p className="mt-3 max-w-[900px] text-[13px]">
      {of.loads_wanted
        ? `${of.loads_wanted} loads of each might tell. `
        : 'With fewer than five loads of each little can be told. '}
      {of.no_more ? (
        <span className="text-ink-2">{of.no_more}</span>
      ) : (
        <button
          className="btn"
          disabled={start.isPending}
          onClick={() =>
            of.a[0] &&
            of.b[0] &&
            start.mutate(
              { a: of.a[0].id, b: of.b[0].id, loads: more },
              {
                onSuccess: (all) => setBegun(all),
                onError: (error) => say({ text: error.message, bad: true }),
              },
            )
          }
        >
          Record {more} more of each, turn by turn
        </button>
      )}
    </p>
  );
}
