import { useVirtualizer } from '@tanstack/react-virtual';
import { useRef, useState } from 'react';
import type { ReactNode } from 'react';
import { unfolded } from './unfolded';

const ROW = 24;

interface Listed<T> {
  rows: readonly T[];
  /** What the list is called. */
  label: string;
  /** The grid's columns, as classes. */
  columns: string;
  role?: 'tree';
  children: (row: T, index: number) => ReactNode;
  /** What the row tells of itself to those who do not see it. */
  told?: (row: T) => Record<string, string | number | boolean>;
}

/** A long list, of which the part in view is drawn. */
export function LongList<T>({ rows, label, columns, role, children, told }: Listed<T>) {
  const scroller = useRef<HTMLDivElement>(null);
  const list = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 8,
  });
  return (
    <div
      ref={scroller}
      className="h-[260px] overflow-y-auto text-[13px]"
      tabIndex={0}
      aria-label={label}
      {...(role ? { role } : {})}
    >
      <div style={{ height: list.getTotalSize(), position: 'relative' }} {...(role ? { role: 'none' } : {})}>
        {list.getVirtualItems().map((item) => {
          const row = rows[item.index];
          if (row === undefined) return null;
          return (
            <div
              key={item.index}
              style={{ position: 'absolute', top: item.start, left: 0, right: 0, height: ROW }}
              className={`grid items-center gap-3 border-b border-rule/60 ${columns}`}
              {...told?.(row)}
            >
              {children(row, item.index)}
            </div>
          );
        })}
      </div>
    </div>
  );
}

interface Folded<T> {
  nodes: readonly T[];
  label: string;
  columns: string;
  total: (node: T) => number;
  name: (node: T) => string;
  /** The cells before the name. */
  before: (node: T) => ReactNode;
  /** The cells after it. */
  after: (node: T) => ReactNode;
  /** What a press on the name does. */
  pick?: (node: T) => void;
}

/** Paths from the outermost call down; a node's callees unfold under it. */
export function FoldTree<T extends { parent: number | null }>(props: Folded<T>) {
  const { nodes, label, columns, total, name, before, after, pick } = props;
  const [turned, setTurned] = useState<ReadonlySet<number>>(new Set());
  const shown = unfolded(nodes, total, turned);
  const turn = (index: number) =>
    setTurned((already) => {
      const after = new Set(already);
      if (!after.delete(index)) after.add(index);
      return after;
    });
  return (
    <LongList
      rows={shown}
      label={label}
      columns={columns}
      role="tree"
      told={(row) => ({
        role: 'treeitem',
        'aria-level': row.depth + 1,
        'aria-selected': false,
        ...(row.has ? { 'aria-expanded': row.open } : {}),
      })}
    >
      {(row) => {
        const node = nodes[row.index];
        if (!node) return null;
        return (
          <>
            {before(node)}
            <span
              className="flex min-w-0 items-center font-mono text-[12.5px]"
              style={{ paddingLeft: Math.min(row.depth, 18) * 12 }}
            >
              {row.has ? (
                <button
                  className="w-4 shrink-0 text-left text-ink-2"
                  aria-label={row.open ? `Fold ${name(node)}` : `Unfold ${name(node)}`}
                  onClick={() => turn(row.index)}
                >
                  {row.open ? '–' : '+'}
                </button>
              ) : (
                <span className="w-4 shrink-0" />
              )}
              {pick ? (
                <button className="truncate text-left hover:text-accent" title={name(node)} onClick={() => pick(node)}>
                  {name(node)}
                </button>
              ) : (
                <span className="truncate" title={name(node)}>
                  {name(node)}
                </span>
              )}
            </span>
            {after(node)}
          </>
        );
      }}
    </LongList>
  );
}
