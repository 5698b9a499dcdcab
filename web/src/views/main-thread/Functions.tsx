import { useFunctions } from '../../api/queries';
import type { CallNode, CodePlace, FunctionTime } from '../../api/types';
import { Ask } from '../../parts/Ask';
import { ms, whole } from '../../parts/format';
import { FoldTree, LongList } from '../../parts/LongList';
import { placeText } from '../../parts/names';
import { NotKnown, Trouble } from '../../parts/states';
import { useParam } from '../../parts/useParam';
import type { Span } from '../../parts/useSpan';
import { useReading } from '../../shell/reading';

export const functionName = (place: CodePlace) => {
  switch (place.function) {
    case '':
      return '(outermost code)';
    case '(program)':
      return '(the browser’s own code)';
    case '(garbage collector)':
      return '(garbage collection)';
    default:
      return place.function;
  }
};

/** Time by function: the heaviest, or the call tree, over all of the load or a stretch of it. */
export function Functions({ chosen, label, ready }: { chosen: Span | null; label: string; ready: boolean }) {
  const { load, recording, number } = useReading();
  const missing = load.missing.filter((m) => m.subject === 'samples');
  const [view, setView] = useParam('profile', 'heaviest');
  const [unit, setUnit] = useParam('unit', 'ms');
  // The picture first: adding up the samples would take the server's time from it.
  const answer = useFunctions(recording.id, number, chosen, ready && missing.length === 0);
  if (missing.length) {
    return (
      <section className="mt-6" aria-label="By function">
        <h2 className="text-[18px]">By function</h2>
        <NotKnown reasons={missing.map((m) => m.why)} />
      </section>
    );
  }
  const data = answer.data;
  const sum = data?.sampled_ms ?? 0;
  const figure = (value: number) =>
    unit === '%'
      ? `${sum ? ((value / sum) * 100).toFixed(1) : '0.0'} %`
      : value < 10
        ? `${value.toFixed(1)} ms`
        : ms(value);
  const tab = (id: string, name: string) => (
    <button className="btn !px-2 !py-0.5" aria-pressed={view === id} onClick={() => setView(id)}>
      {name}
    </button>
  );
  return (
    <section className="mt-6" aria-label="By function">
      <div className="flex items-center gap-2">
        <h2 className="text-[18px]">By function</h2>
        <span className="text-[13px] text-ink-2">
          {label},{' '}
          <Ask how="Each sample of the profiler stands for the time until the next one, cut to the stretch and to the tasks. Time in which nothing ran is left out.">
            {ms(sum)}
          </Ask>{' '}
          in {whole(data?.samples ?? 0)} samples
        </span>
        <span className="ml-auto flex gap-1">
          {tab('heaviest', 'heaviest functions')}
          {tab('tree', 'call tree')}
          <button className="btn !px-2 !py-0.5" onClick={() => setUnit(unit === '%' ? 'ms' : '%')}>
            {unit === '%' ? 'in ms' : 'in %'}
          </button>
        </span>
      </div>
      {answer.error ? (
        <Trouble error={answer.error} again={() => void answer.refetch()} />
      ) : !data ? (
        <p className="h-[260px] py-3 text-ink-2" role="status">
          Adding up the samples …
        </p>
      ) : view === 'tree' ? (
        <Tree nodes={data.tree} figure={figure} />
      ) : (
        <Heaviest rows={data.heaviest} figure={figure} />
      )}
    </section>
  );
}

function Heads({ first }: { first: string }) {
  return (
    <div className={`mt-1 grid gap-3 border-b border-rule-strong pb-0.5 text-[12px] text-ink-2 ${COLUMNS}`}>
      <span className="text-right">
        <Ask how="In the function’s own code.">Self</Ask>
      </span>
      <span className="text-right">
        <Ask how="In its own code and in what it called.">Total</Ask>
      </span>
      <span>{first}</span>
      <span>Where</span>
      <span>Owner</span>
    </div>
  );
}

const COLUMNS = 'grid-cols-[74px_74px_minmax(0,1fr)_170px_96px]';

function Heaviest({ rows, figure }: { rows: FunctionTime[]; figure: (value: number) => string }) {
  const { select } = useReading();
  return (
    <>
      <Heads first="Function" />
      <LongList rows={rows} label="Heaviest functions" columns={COLUMNS}>
        {(row) => (
          <>
            <span className="text-right">{figure(row.self_ms)}</span>
            <span className="text-right text-ink-2">{figure(row.total_ms)}</span>
            <span className="truncate font-mono text-[12.5px]">{functionName(row.place)}</span>
            <Where place={row.place} select={(url) => select({ kind: 'script', url })} />
            <span className="truncate text-ink-2">{row.owner.name}</span>
          </>
        )}
      </LongList>
      <p className="mt-1 text-[12.5px] text-ink-2">{whole(rows.length)} functions</p>
    </>
  );
}

function Where({ place, select }: { place: CodePlace; select: (url: string) => void }) {
  if (!place.url) return <span />;
  return (
    <button
      className="truncate text-left font-mono text-[12px] hover:text-accent"
      title={place.url}
      onClick={() => select(place.url ?? '')}
    >
      {placeText(place)}
    </button>
  );
}

/** Paths from the outermost call down; a node's callees unfold under it. */
function Tree({ nodes, figure }: { nodes: CallNode[]; figure: (value: number) => string }) {
  const { select } = useReading();
  return (
    <>
      <Heads first="Call path" />
      <FoldTree
        nodes={nodes}
        label="Call tree"
        columns={COLUMNS}
        total={(node) => node.total_ms}
        name={(node) => functionName(node.place)}
        before={(node) => (
          <>
            <span className="text-right">{figure(node.self_ms)}</span>
            <span className="text-right text-ink-2">{figure(node.total_ms)}</span>
          </>
        )}
        after={(node) => (
          <>
            <Where place={node.place} select={(url) => select({ kind: 'script', url })} />
            <span className="truncate text-ink-2">{node.owner.name}</span>
          </>
        )}
      />
      <p className="mt-1 text-[12.5px] text-ink-2">{whole(nodes.length)} call paths</p>
    </>
  );
}
