import { Columns3 } from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import { COLUMNS } from './columns';

/** Which columns stand beside the waterfall. */
export function ColumnMenu({ chosen, set }: { chosen: string[]; set: (ids: string[]) => void }) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="btn !px-2 !py-0.5 text-[12.5px]">
        <Columns3 size={13} aria-hidden /> columns
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="start"
          sideOffset={4}
          className="z-40 max-h-[70vh] overflow-auto rounded border border-rule-strong bg-sheet py-1 text-[13px] shadow-md"
        >
          {COLUMNS.map((column) => (
            <DropdownMenu.CheckboxItem
              key={column.id}
              className="flex cursor-pointer items-center gap-2 px-3 py-1 outline-none data-[highlighted]:bg-soft"
              checked={chosen.includes(column.id)}
              onSelect={(e) => e.preventDefault()}
              onCheckedChange={(on) =>
                set(COLUMNS.map((c) => c.id).filter((id) => (id === column.id ? on : chosen.includes(id))))
              }
            >
              <span className="w-3">{chosen.includes(column.id) ? '✓' : ''}</span>
              {column.name}
              <span className="ml-auto max-w-[260px] truncate pl-4 text-[12px] text-ink-2">{column.how}</span>
            </DropdownMenu.CheckboxItem>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
