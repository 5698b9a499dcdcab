import { DropdownMenu } from 'radix-ui';
import type { ReactNode } from 'react';

/** A menu of things that can be switched on and off; it stays open meanwhile. */
export function CheckMenu(props: {
  children: ReactNode;
  items: { id: string; name: string; how?: string }[];
  on: string[];
  toggle: (id: string) => void;
  pressed?: boolean;
}) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="btn !px-2 !py-0.5 text-[12.5px]" aria-pressed={props.pressed}>
        {props.children}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="start"
          sideOffset={4}
          className="z-40 max-h-[70vh] max-w-[560px] overflow-auto rounded border border-rule-strong bg-sheet py-1 text-[13px] shadow-md"
        >
          {props.items.map(({ id, name, how }) => (
            <DropdownMenu.CheckboxItem
              key={id}
              className="flex cursor-pointer items-baseline gap-2 px-3 py-1 outline-none data-[highlighted]:bg-soft"
              checked={props.on.includes(id)}
              onSelect={(e) => e.preventDefault()}
              onCheckedChange={() => props.toggle(id)}
            >
              <span className="w-3 shrink-0">{props.on.includes(id) ? '✓' : ''}</span>
              <span className="[overflow-wrap:anywhere]">{name}</span>
              {how && <span className="ml-auto max-w-[260px] truncate pl-4 text-[12px] text-ink-2">{how}</span>}
            </DropdownMenu.CheckboxItem>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
