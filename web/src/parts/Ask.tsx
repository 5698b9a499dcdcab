import { Tooltip } from 'radix-ui';
import type { ReactNode } from 'react';

/** A figure that tells on hover or focus how it was obtained. */
export function Ask({ how, children, className = '' }: { how: ReactNode; children: ReactNode; className?: string }) {
  return (
    <Tooltip.Root>
      <Tooltip.Trigger asChild>
        <button type="button" className={`ask text-left ${className}`} onClick={(e) => e.stopPropagation()}>
          {children}
        </button>
      </Tooltip.Trigger>
      <Tip>{how}</Tip>
    </Tooltip.Root>
  );
}

export function Tip({ children }: { children: ReactNode }) {
  return (
    <Tooltip.Portal>
      <Tooltip.Content
        sideOffset={6}
        collisionPadding={10}
        className="z-50 max-w-[340px] rounded border border-rule-strong bg-sheet px-3 py-2 text-[12.5px] leading-[1.45] text-ink shadow-md"
      >
        {children}
      </Tooltip.Content>
    </Tooltip.Portal>
  );
}
