import { Trash2 } from 'lucide-react';

/** Takes a row of a table or list away. */
export function DropButton({ label, drop }: { label: string; drop: () => void }) {
  return (
    <button className="btn btn-quiet !px-1.5" aria-label={label} onClick={drop}>
      <Trash2 size={14} aria-hidden />
    </button>
  );
}
