import { useState } from 'react';
import { Link } from 'react-router';
import type { ChangedFile, FileChange, Finding, FunctionPair, OwnerPair, Pair, WorkKind } from '../../api/types';
import { Ask } from '../../parts/Ask';
import { kB, KINDS, ms, plural, WORK, whole } from '../../parts/format';
import { KindTag } from '../../parts/KindTag';

const CHANGES: Record<FileChange, string> = {
  added: 'new',
  gone: 'gone',
  bigger: 'bigger',
  smaller: 'smaller',
  later: 'later',
  earlier: 'earlier',
};

/** So many rows come at first. */
const SHOWN = 15;

function More({ left, show }: { left: number; show: () => void }) {
  return left > 0 ? (
    <button className="btn mt-1" onClick={show}>
      {plural(left, 'more', 'more')}
    </button>
  ) : null;
}

/** Files that came, went or changed. */
export function Files({ files, same }: { files: ChangedFile[]; same: number }) {
  const [all, setAll] = useState(false);
  const [only, setOnly] = useState<FileChange | ''>('');
  const matching = files.filter((f) => !only || f.changes.includes(only));
  const view = all ? matching : matching.slice(0, SHOWN);
  const count = (change: FileChange) => files.filter((f) => f.changes.includes(change)).length;
  return (
    <section aria-label="Files" className="mt-7 max-w-[1100px] text-[13px]">
      <h2 className="text-[18px]">
        Files: {files.length ? plural(files.length, 'differs', 'differ') : 'none differs'}, {whole(same)} the same
      </h2>
      {files.length > 0 && (
        <p className="mt-1 flex flex-wrap gap-1" role="group" aria-label="Show only">
          {(Object.keys(CHANGES) as FileChange[])
            .filter((c) => count(c))
            .map((c) => (
              <button
                key={c}
                className="btn !px-2 !py-0"
                aria-pressed={only === c}
                onClick={() => setOnly(only === c ? '' : c)}
              >
                {count(c)} {CHANGES[c]}
              </button>
            ))}
        </p>
      )}
      {view.length > 0 && (
        <table className="mt-1 w-full">
          <thead>
            <tr className="border-b border-rule-strong">
              <th className="py-1">File</th>
              <th className="w-[150px]">Owner</th>
              <th className="w-[130px]">What</th>
              <th className="w-[74px] text-right">A, kB</th>
              <th className="w-[74px] text-right">B, kB</th>
              <th className="w-[86px] text-right">
                <Ask how="When its last byte was there: median over the loads.">A, end</Ask>
              </th>
              <th className="w-[86px] text-right">B, end</th>
            </tr>
          </thead>
          <tbody>
            {view.map((f) => (
              <tr key={f.file} className="border-b border-rule">
                <td className="py-1 [overflow-wrap:anywhere]" title={`${f.file}, ${KINDS[f.kind].words}`}>
                  <KindTag kind={f.kind} /> {f.name}
                </td>
                <td className="truncate">{f.owner.name}</td>
                <td>{f.changes.map((c) => CHANGES[c]).join(', ')}</td>
                <td className="text-right">{f.a ? kB(f.a.bytes) : '–'}</td>
                <td className="text-right">{f.b ? kB(f.b.bytes) : '–'}</td>
                <td className="text-right">{f.a ? ms(f.a.end_ms) : '–'}</td>
                <td className="text-right">{f.b ? ms(f.b.end_ms) : '–'}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <More left={matching.length - view.length} show={() => setAll(true)} />
    </section>
  );
}

const from = (pair: Pair, text: (value: number) => string) =>
  `${pair.a === null ? '–' : text(pair.a)} → ${pair.b === null ? '–' : text(pair.b)}`;

function Both({ pair, text }: { pair: Pair; text: (value: number) => string }) {
  const same = pair.a !== null && pair.b !== null && text(pair.a) === text(pair.b);
  return <span className={same ? 'text-ink-2' : ''}>{same ? text(pair.a ?? 0) : from(pair, text)}</span>;
}

/** What each owner costs in both. */
export function OwnersTable({ rows }: { rows: OwnerPair[] }) {
  if (!rows.length) return null;
  return (
    <section aria-label="Owners" className="mt-7 max-w-[1100px] text-[13px]">
      <h2 className="text-[18px]">Owners</h2>
      <table className="mt-1 w-full">
        <thead>
          <tr className="border-b border-rule-strong">
            <th className="py-1">Owner, medians over the loads</th>
            <th className="text-right">Requests</th>
            <th className="text-right">Weight, kB</th>
            <th className="text-right">Main thread</th>
            <th className="text-right">On the path</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((o) => (
            <tr key={`${o.owner.kind} ${o.owner.name}`} className="border-b border-rule">
              <td className="py-1 [overflow-wrap:anywhere]">{o.owner.name}</td>
              <td className="text-right">
                <Both pair={o.requests} text={(v) => String(Math.round(v))} />
              </td>
              <td className="text-right">
                <Both pair={o.bytes} text={(v) => kB(Math.round(v))} />
              </td>
              <td className="text-right">
                <Both pair={o.main_thread_ms} text={ms} />
              </td>
              <td className="text-right">
                <Both pair={o.path_ms} text={ms} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

/** The main thread by kind of work in both. */
export function WorkTable({ rows }: { rows: [WorkKind, Pair][] }) {
  if (!rows.length) return null;
  return (
    <section aria-label="Main thread by kind" className="mt-7 min-w-0 text-[13px]">
      <h2 className="text-[18px]">Main thread by kind</h2>
      <table className="mt-1 w-full">
        <tbody>
          {rows.map(([kind, pair]) => (
            <tr key={kind} className="border-b border-rule">
              <td className="py-1">{WORK[kind].words}</td>
              <td className="text-right">
                <Both pair={pair} text={ms} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

/** The functions whose own time differs most. */
export function FunctionsTable({ rows }: { rows: FunctionPair[] }) {
  const [all, setAll] = useState(false);
  if (!rows.length) return null;
  const view = all ? rows : rows.slice(0, 8);
  return (
    <section aria-label="Functions" className="mt-7 min-w-0 text-[13px]">
      <h2 className="text-[18px]">
        <Ask how="Own time of the functions that differ most, in the loads that stand for both sides, by the profiler’s samples.">
          Functions
        </Ask>
      </h2>
      <table className="mt-1 w-full table-fixed">
        <tbody>
          {view.map((f) => (
            <tr key={`${f.name} ${f.url}`} className="border-b border-rule">
              <td className="truncate py-1 font-mono text-[12px]" title={f.url ?? ''}>
                {f.name || '(anonymous)'}{' '}
                <span className="text-ink-2">{f.url?.split(/[?#]/)[0]?.split('/').at(-1)}</span>
              </td>
              <td className="w-[150px] text-right">
                <Both pair={f.self_ms} text={ms} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <More left={rows.length - view.length} show={() => setAll(true)} />
    </section>
  );
}

/** Findings that came and went. */
export function Findings(props: { came: Finding[]; went: Finding[]; a: number | undefined; b: number | undefined }) {
  const list = (name: string, findings: Finding[], recording: number | undefined) => (
    <section aria-label={name} className="min-w-0">
      <h2 className="text-[18px]">
        {name}: {findings.length}
      </h2>
      <ul className="mt-1 max-h-[300px] overflow-y-auto">
        {findings.map((f) => (
          <li key={f.key} className="border-t border-rule py-1 [overflow-wrap:anywhere]">
            <Link
              className="hover:text-accent"
              to={`/recordings/${recording}/findings?${new URLSearchParams({ sel: `finding:${f.key}` })}`}
            >
              {f.title}
            </Link>{' '}
            <span className="text-ink-2">
              {f.owner.name}
              {f.on_path_ms > 0 && `, ${ms(f.on_path_ms)} on the path`}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
  return (
    <div className="mt-7 grid max-w-[1100px] grid-cols-2 gap-8 text-[13px]">
      {list('Findings that went', props.went, props.a)}
      {list('Findings that came', props.came, props.b)}
    </div>
  );
}
