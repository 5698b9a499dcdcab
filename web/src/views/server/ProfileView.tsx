import { useMemo, useRef } from 'react';
import { useNeighbours, useProfile, useProfileChanges, useProfiles } from '../../api/server';
import type { FunctionRow, Measure, Neighbour, Owner, ProfileReading } from '../../api/types';
import { Ask } from '../../parts/Ask';
import { whole } from '../../parts/format';
import { FoldTree, LongList } from '../../parts/LongList';
import { ownerKey } from '../../parts/names';
import { Trouble, Waiting } from '../../parts/states';
import { useParam } from '../../parts/useParam';
import { useTypedParam } from '../../parts/useTypedParam';
import { useKeys } from '../../shell/keys';
import { useNotice } from '../../shell/notices';
import { useReading } from '../../shell/reading';
import { amount, lastPart, measureWords } from './amounts';
import { SPANS } from './words';

/** What a profiler counted while the server made the page: by owner, function, file, and call by call. */
export function ProfileView({ id, leave }: { id: string; leave: () => void }) {
  const [measure, setMeasure] = useParam('measure', '0');
  const { data, error, refetch } = useProfile(id, Number(measure) || 0);
  const back = (
    <button className="text-[13px] text-accent hover:underline" onClick={leave}>
      The server’s work
    </button>
  );
  if (error) {
    return (
      <div className="px-5 py-3">
        {back}
        <Trouble error={error} again={() => void refetch()} />
      </div>
    );
  }
  if (!data) return <Waiting />;
  const unit = data.measures[data.measure];
  const top = data.owners.find((o) => o.owner.kind !== 'site');
  if (!unit) return null;
  const text = (value: number) => amount(unit, value);
  return (
    <div className="px-5 pb-8 pt-2">
      {back}
      <h1 className="text-[25px] leading-tight [overflow-wrap:anywhere]">
        {text(data.total)} were counted{top ? `; ${top.owner.name} took ${text(top.own)} of it` : ''}
      </h1>
      <About id={id} data={data} />
      <p className="mt-1 flex flex-wrap items-center gap-x-4 gap-y-1 text-[13px] text-ink-2">
        {data.measures.length === 1 ? (
          <span>Counted: {measureWords(unit)}</span>
        ) : (
          <label className="flex items-center gap-2">
            Counted
            <select
              className="rounded border border-rule-strong bg-sheet px-1 py-0.5"
              value={String(data.measure)}
              onChange={(e) => setMeasure(e.target.value)}
            >
              {data.measures.map((m, i) => (
                <option key={m.name} value={String(i)}>
                  {measureWords(m)}
                </option>
              ))}
            </select>
          </label>
        )}
        <Sum data={data} unit={unit} />
      </p>
      <Owners data={data} text={text} />
      <Code id={id} data={data} text={text} />
    </div>
  );
}

/** Where the profile came from and what it is of. */
function About({ id, data }: { id: string; data: ProfileReading }) {
  const { recording, number } = useReading();
  const profiles = useProfiles(recording.id);
  const { give } = useProfileChanges(recording.id);
  const say = useNotice();
  const head = profiles.data?.find((p) => String(p.id) === id);
  return (
    <p className="text-[13.5px] text-ink-2 [overflow-wrap:anywhere]">
      {head?.file ?? 'Of another page'}, written by {data.creator ?? 'a profiler that does not name itself'}
      {data.command ? (
        <>
          {' '}
          for <code className="font-mono text-[12.5px]">{data.command}</code>
        </>
      ) : null}
      {data.parts > 1 && `, ${data.parts} parts added up`}; of{' '}
      <select
        aria-label="What the profile is of"
        className="rounded border border-rule-strong bg-sheet px-1 py-0.5"
        value={head?.of ? `${head.of.recording} ${head.of.load}` : ''}
        onChange={(e) => {
          const [of, load] = e.target.value.split(' ').map(Number);
          give.mutate(
            { id: Number(id), of: of && load ? { recording: of, load } : null },
            { onError: (error) => say({ text: error.message, bad: true }) },
          );
        }}
      >
        <option value="">the page as a whole</option>
        {recording.loads.map((load) => (
          <option key={load.number} value={`${recording.id} ${load.number}`}>
            load {load.number}
            {load.number === number ? ', this one' : ''}
          </option>
        ))}
        {head?.of && head.of.recording !== recording.id && (
          <option value={`${head.of.recording} ${head.of.load}`}>load {head.of.load} of another recording</option>
        )}
      </select>
      .
    </p>
  );
}

/** Whether the lines add up to what the file states. */
function Sum({ data, unit }: { data: ProfileReading; unit: Measure }) {
  if (data.stated === null) return <span>The file states no sum to hold against its lines.</span>;
  const rest = data.stated - data.total;
  const same = Math.abs(rest) <= Math.abs(data.stated) * 1e-6;
  return (
    <span>
      {same ? (
        `The functions add up to the ${amount(unit, data.stated)} that the file states.`
      ) : (
        <Ask how="The file’s own summary line less what its functions took: the profiler’s start and end, and what the language did before and after the program.">
          The file states {amount(unit, data.stated)}: {amount(unit, rest)} of them are in no function.
        </Ask>
      )}
    </span>
  );
}

function Owners({ data, text }: { data: ProfileReading; text: (value: number) => string }) {
  const { select, selection } = useReading();
  const most = Math.max(...data.owners.map((o) => Math.abs(o.own)), 1e-12);
  const pick = (owner: Owner) => select({ kind: 'owner', owner: ownerKey(owner) });
  return (
    <section className="mt-4 max-w-[860px]" aria-label="By owner">
      <table className="w-full table-fixed text-[13px]">
        <thead>
          <tr className="border-b border-rule-strong">
            <th className="w-[180px] py-1">Owner</th>
            <th>
              <span className="sr-only">Its part, drawn</span>
            </th>
            <th className="w-[100px] text-right">
              <Ask how="What its functions took, and what the language’s and the system’s own functions took for them, in the share of the calls’ cost. The owners add up to all that was counted.">
                Own
              </Ask>
            </th>
            <th className="w-[110px] text-right">
              <Ask how="With what its functions had others do, each instant once; calls that took less than a five-thousandth of the whole are not in it. Known where the file tells each call apart.">
                With others
              </Ask>
            </th>
            <th className="w-[90px] text-right">Functions</th>
            <th className="w-[90px] text-right">Calls</th>
          </tr>
        </thead>
        <tbody>
          {data.owners.map((row) => (
            <tr
              key={ownerKey(row.owner)}
              className={`border-b border-rule ${selection?.kind === 'owner' && selection.owner === ownerKey(row.owner) ? 'bg-soft' : ''}`}
            >
              <td className="truncate py-1">
                <button className="hover:text-accent" onClick={() => pick(row.owner)}>
                  {row.owner.name}
                </button>
              </td>
              <td>
                <span
                  className="block h-2.5"
                  style={{ width: `${(Math.abs(row.own) / most) * 100}%`, background: SPANS.other.color }}
                />
              </td>
              <td className="text-right">{text(row.own)}</td>
              <td className="text-right text-ink-2">{row.inclusive === null ? 'not told' : text(row.inclusive)}</td>
              <td className="text-right">{whole(row.functions)}</td>
              <td className="text-right">{row.called ? whole(row.called) : '–'}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

const COLUMNS = 'grid-cols-[66px_66px_52px_minmax(0,1fr)_140px_84px]';

type Text = (value: number) => string;

/** Function by function, file by file, and as a tree of calls. */
function Code({ id, data, text }: { id: string; data: ProfileReading; text: Text }) {
  const [view, setView] = useParam('by', 'function');
  const [words, setWords] = useTypedParam('find');
  const [order, setOrder] = useParam('order', 'own');
  const [called, setCalled] = useParam('called');
  const filter = useRef<HTMLInputElement>(null);
  useKeys({ '/': () => filter.current?.focus() });
  const functions = useMemo(() => {
    const wanted = words.toLowerCase();
    const rows = data.functions.filter(
      (f) => !wanted || `${f.name} ${f.file} ${f.owner?.name ?? ''}`.toLowerCase().includes(wanted),
    );
    return order === 'own'
      ? rows
      : [...rows].sort(
          (a, b) => b[order === 'calls' ? 'called' : 'inclusive'] - a[order === 'calls' ? 'called' : 'inclusive'],
        );
  }, [data.functions, words, order]);
  const tab = (key: string, name: string) => (
    <button className="btn !px-2 !py-0.5" aria-pressed={view === key} onClick={() => setView(key)}>
      {name}
    </button>
  );
  const head = (key: string, name: string, how: string) => (
    <span className="text-right">
      <Ask how={how}>
        <span>{name}</span>
      </Ask>{' '}
      {view === 'function' && (
        <button
          className={order === key ? 'text-ink' : 'text-ink-3'}
          aria-pressed={order === key}
          aria-label={`Sort by ${name.toLowerCase()}`}
          onClick={() => setOrder(key)}
        >
          ↓
        </button>
      )}
    </span>
  );
  return (
    <section className="mt-6" aria-label="The code">
      <div className="flex flex-wrap items-center gap-2">
        <h2 className="text-[18px]">The code</h2>
        <span className="text-[13px] text-ink-2">
          {whole(data.function_count)} functions in {whole(data.file_count)} files
        </span>
        {view === 'function' && (
          <input
            ref={filter}
            className="field !w-48"
            placeholder="name, file or owner"
            aria-label="Only functions with these letters"
            value={words}
            onChange={(e) => setWords(e.target.value)}
          />
        )}
        <span className="ml-auto flex gap-1">
          {tab('function', 'functions')}
          {tab('file', 'files')}
          {tab('calls', 'call tree')}
        </span>
      </div>
      {view === 'file' ? (
        <Files data={data} text={text} />
      ) : (
        <>
          <div className={`mt-1 grid gap-3 border-b border-rule-strong pb-0.5 text-[12px] text-ink-2 ${COLUMNS}`}>
            {head('own', 'Own', 'In the function’s own code.')}
            {head(
              'all',
              'All',
              'With what it called; a call within a call of its own counts once. Where the file tells sums of calls and functions call each other in a circle, the most that it can be.',
            )}
            {head('calls', 'Calls', 'How often it was called, its calls of itself included.')}
            <span>{view === 'calls' ? 'Call path' : 'Function'}</span>
            <span>File</span>
            <span>Owner</span>
          </div>
          {view === 'calls' ? (
            <Tree data={data} text={text} pick={(n) => setCalled(String(n))} />
          ) : (
            <LongList rows={functions} label="Functions" columns={COLUMNS}>
              {(row) => (
                <>
                  <span className="text-right">{text(row.own)}</span>
                  <span className="text-right text-ink-2">
                    {row.again && data.tree_is === 'shared_out' ? '≤ ' : ''}
                    {text(row.inclusive)}
                  </span>
                  <span className="text-right">{row.called ? whole(row.called) : '–'}</span>
                  <button
                    className={`truncate text-left font-mono text-[12.5px] hover:text-accent ${called === String(row.function) ? 'text-accent' : ''}`}
                    title={row.name}
                    aria-pressed={called === String(row.function)}
                    onClick={() => setCalled(called === String(row.function) ? '' : String(row.function))}
                  >
                    {row.name}
                  </button>
                  <Where file={row.file} object={row.object} />
                  <Whose owner={row.owner} />
                </>
              )}
            </LongList>
          )}
          {view === 'function' && (
            <p className="mt-1 text-[12.5px] text-ink-2" aria-live="polite">
              {whole(functions.length)} of {whole(data.function_count)} shown
              {data.function_count > data.functions.length && `: those that took most`}
            </p>
          )}
          {called !== '' && <Around id={id} measure={data.measure} called={called} text={text} pick={setCalled} />}
        </>
      )}
    </section>
  );
}

function Where({ file, object }: { file: string; object: string | null }) {
  const place = file && file !== '???' ? file : (object ?? '');
  return (
    <span className="truncate font-mono text-[12px] text-ink-2" title={place}>
      {lastPart(place)}
    </span>
  );
}

/** Functions of the language and the system are nobody's: their cost goes to who calls them. */
function Whose({ owner }: { owner: Owner | null }) {
  return <span className="truncate text-ink-2">{owner?.name ?? 'its caller'}</span>;
}

function Tree({ data, text, pick }: { data: ProfileReading; text: Text; pick: (called: number) => void }) {
  return (
    <>
      <FoldTree
        nodes={data.tree}
        label="Tree of calls"
        columns={COLUMNS}
        total={(node) => node.inclusive}
        name={(node) => node.name}
        pick={(node) => pick(node.function)}
        before={(node) => (
          <>
            <span className="text-right">{text(node.own)}</span>
            <span className="text-right text-ink-2">{text(node.inclusive)}</span>
            <span className="text-right">{node.count === null ? '–' : whole(node.count)}</span>
          </>
        )}
        after={(node) => (
          <>
            <Where file={node.file} object={null} />
            <Whose owner={node.owner} />
          </>
        )}
      />
      <p className="mt-1 text-[12.5px] text-ink-2">
        {whole(data.tree.length)} call paths; what took less than a two-thousandth is left out.{' '}
        {data.tree_is === 'told'
          ? 'The file tells each call apart.'
          : 'The file tells sums of calls: what a function took below each of its callers is shared out in their proportion.'}
      </p>
    </>
  );
}

function Files({ data, text }: { data: ProfileReading; text: Text }) {
  const columns = 'grid-cols-[88px_88px_minmax(0,1fr)_130px]';
  return (
    <>
      <div className={`mt-1 grid gap-3 border-b border-rule-strong pb-0.5 text-[12px] text-ink-2 ${columns}`}>
        <span className="text-right">
          <Ask how="What the lines of this file took, wherever they were called from.">Own</Ask>
        </span>
        <span className="text-right">Functions</span>
        <span>File</span>
        <span>Owner</span>
      </div>
      <LongList rows={data.files} label="Files" columns={columns}>
        {(row) => (
          <>
            <span className="text-right">{text(row.own)}</span>
            <span className="text-right">{whole(row.functions)}</span>
            <span className="truncate font-mono text-[12.5px]" title={row.file}>
              {row.file || '(not known)'}
            </span>
            <Whose owner={row.owner} />
          </>
        )}
      </LongList>
      <p className="mt-1 text-[12.5px] text-ink-2">
        {whole(data.files.length)} of {whole(data.file_count)} shown
      </p>
    </>
  );
}

/** Who calls a function, and whom it calls. */
function Around(props: { id: string; measure: number; called: string; text: Text; pick: (called: string) => void }) {
  const { id, measure, called, text, pick } = props;
  const { data, error } = useNeighbours(id, measure, called);
  if (error) return <Trouble error={error} />;
  if (!data) return null;
  const row: FunctionRow = data.function;
  return (
    <section className="mt-4 max-w-[960px] border border-rule bg-sheet px-4 py-3" aria-label="The function">
      <h3 className="font-mono text-[14px] [overflow-wrap:anywhere]">{row.name}</h3>
      <p className="text-[13px] text-ink-2 [overflow-wrap:anywhere]">
        {text(row.own)} of its own, {text(row.inclusive)} with what it calls
        {row.called > 0 && `, called ${whole(row.called)} times`}
        {row.file && (
          <>
            , in <code className="font-mono text-[12.5px]">{row.file}</code>
          </>
        )}
        .
      </p>
      <div className="mt-2 grid grid-cols-2 gap-6">
        <Side
          itself={row.function}
          title="Called by"
          rows={data.callers}
          text={text}
          pick={pick}
          none="Nothing calls it: the program begins here."
        />
        <Side itself={row.function} title="Calls" rows={data.called} text={text} pick={pick} none="It calls nothing." />
      </div>
    </section>
  );
}

/** So many are listed at each side. */
const SIDE = 40;

function Side(props: {
  itself: number;
  title: string;
  rows: Neighbour[];
  text: Text;
  pick: (called: string) => void;
  none: string;
}) {
  const { itself, title, rows, text, pick, none } = props;
  return (
    <div>
      <h4 className="text-[12.5px] text-ink-2">{title}</h4>
      {rows.length === 0 && <p className="text-[13px] text-ink-2">{none}</p>}
      <ul className="text-[13px]">
        {rows.slice(0, SIDE).map((n) => (
          <li
            key={n.function}
            className="grid grid-cols-[80px_64px_minmax(0,1fr)] gap-3 border-b border-rule/60 py-0.5"
          >
            <span className="text-right" title={n.function === itself ? 'Calls of itself hold each other.' : undefined}>
              {n.function === itself ? '–' : text(n.cost)}
            </span>
            <span className="text-right text-ink-2">{whole(n.count)} ×</span>
            <button
              className="truncate text-left font-mono text-[12.5px] hover:text-accent"
              title={n.name}
              onClick={() => pick(String(n.function))}
            >
              {n.function === itself ? 'itself' : n.name}
            </button>
          </li>
        ))}
      </ul>
      {rows.length > SIDE && <p className="text-[12.5px] text-ink-2">{whole(rows.length - SIDE)} more took less.</p>}
    </div>
  );
}
