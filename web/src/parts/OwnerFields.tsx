import type { Need, OwnerNote } from '../api/types';
import { NEEDS } from './needs';

/** What shapes effort and risk of fixes that touch an owner: is it needed, does it hold data. */
export function OwnerFields({ note, set }: { note: OwnerNote; set: (to: Partial<OwnerNote>) => void }) {
  return (
    <>
      <label className="block">
        <span className="label">Is it needed?</span>
        <select className="field" value={note.need} onChange={(e) => set({ need: e.target.value as Need })}>
          {Object.entries(NEEDS).map(([value, words]) => (
            <option key={value} value={value}>
              {words}
            </option>
          ))}
        </select>
      </label>
      <label className="mt-1 flex items-center gap-2">
        <input type="checkbox" checked={note.holds_data} onChange={(e) => set({ holds_data: e.target.checked })} />
        holds data that would have to be moved
      </label>
    </>
  );
}
