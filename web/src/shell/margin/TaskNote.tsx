import type { LongTask } from '../../api/types';
import { ms, WORK } from '../../parts/format';
import { shortName } from '../../parts/names';
import type { Reading } from '../reading';
import { Address, FindingList, Part, PlanButton, Rows, Title } from './parts';

/** A long task: when, how long, and whose time it was. */
export function TaskNote({ task, reading }: { task: LongTask; reading: Reading }) {
  const findings = reading.load.findings.filter((f) => f.url === task.url && task.url !== null);
  return (
    <>
      <Title>{task.url ? `A long task of ${shortName(task.url)}` : 'A long task of the page itself'}</Title>
      {task.url && <Address url={task.url} />}
      <Part>
        <Rows
          rows={[
            ['starts at', ms(task.start_ms)],
            ['takes', ms(task.duration_ms)],
            ['adds to TBT', ms(task.blocking_ms)],
            ['mostly', WORK[task.kind].words],
          ]}
        />
      </Part>
      <Part title="Whose time it is">
        <Rows rows={task.shares.map(([owner, time]) => [owner.name, ms(time)])} />
      </Part>
      <FindingList findings={findings} reading={reading} title="Findings about it" />
      {findings[0] && <PlanButton finding={findings[0]} reading={reading} />}
    </>
  );
}
