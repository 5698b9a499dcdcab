import { Columns3 } from 'lucide-react';
import { CheckMenu } from '../../parts/CheckMenu';
import { COLUMNS } from './columns';

/** Which columns stand beside the waterfall. */
export function ColumnMenu({ chosen, set }: { chosen: string[]; set: (ids: string[]) => void }) {
  const toggle = (id: string) => set(COLUMNS.map((c) => c.id).filter((c) => (c === id) !== chosen.includes(c)));
  return (
    <CheckMenu items={COLUMNS} on={chosen} toggle={toggle}>
      <Columns3 size={13} aria-hidden /> columns
    </CheckMenu>
  );
}
