import type { RequestRow } from '../../api/types';
import { bytes, ms } from '../../parts/format';
import { ownerKey } from '../../parts/names';
import type { Reading } from '../reading';
import { FindingNote } from './FindingNote';
import { LargestNote } from './LargestNote';
import { LegNote } from './LegNote';
import { OwnerNote } from './OwnerNote';
import { Address, Title } from './parts';
import { RequestNote } from './RequestNote';
import { ScriptNote } from './ScriptNote';
import { TaskNote } from './TaskNote';

/** Explains whatever is selected; without a selection, the largest element. */
export function Margin({ reading }: { reading: Reading }) {
  const { load, selection } = reading;
  switch (selection?.kind) {
    case 'request': {
      // A number below zero is of a request that only the other visit has.
      const row =
        selection.id < 0
          ? reading.other?.requests.find((r) => r.id === -1 - selection.id)
          : load.requests.find((r) => r.id === selection.id);
      if (row && selection.id < 0 && reading.other) {
        return <OtherVisitsNote row={row} isFirst={reading.number === reading.pair?.first} />;
      }
      return row ? <RequestNote row={row} reading={reading} /> : <Gone />;
    }
    case 'leg': {
      const leg = load.lcp?.path[selection.index];
      return leg ? <LegNote leg={leg} reading={reading} /> : <Gone />;
    }
    case 'finding': {
      const finding = load.findings.find((f) => f.key === selection.key);
      return finding ? <FindingNote finding={finding} reading={reading} /> : <Gone />;
    }
    case 'task': {
      const task = load.main_thread?.long_tasks[selection.index];
      return task ? <TaskNote task={task} reading={reading} /> : <Gone />;
    }
    case 'script':
      return <ScriptNote url={selection.url} reading={reading} />;
    case 'owner': {
      const owner = load.owners.find((o) => ownerKey(o) === selection.owner);
      return owner ? <OwnerNote owner={owner} reading={reading} /> : <Gone />;
    }
    default:
      return <LargestNote reading={reading} />;
  }
}

function Gone() {
  return <p className="text-ink-2">What this address selects is not in this load.</p>;
}

/** A request that only the other visit made. */
function OtherVisitsNote({ row, isFirst }: { row: RequestRow; isFirst: boolean }) {
  return (
    <>
      <Title>{row.name}</Title>
      <Address url={row.url} />
      <p className="mt-2 text-[13px]">
        Asked for on the {isFirst ? 'return visit' : 'first visit'} only, at {ms(row.start_ms)};{' '}
        {row.end_ms === null ? 'it never finished' : `its last byte came at ${ms(row.end_ms)}`},{' '}
        {bytes(row.transferred_bytes)} over the line. Open that visit to see what asked for it.
      </p>
    </>
  );
}
