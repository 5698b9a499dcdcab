/** A row of a tree that can be folded. */
export interface FoldRow {
  index: number;
  depth: number;
  /** Whether something is below it. */
  has: boolean;
  open: boolean;
}

/** What takes more than this share of the whole is open from the start. */
const OPEN = 0.12;

/**
 * The rows of a tree that are to be seen: those below open ones. Callers stand before what they called. `turned` are the
 * nodes that somebody opened or closed.
 */
export function unfolded<T extends { parent: number | null }>(
  nodes: readonly T[],
  total: (node: T) => number,
  turned: ReadonlySet<number>,
): FoldRow[] {
  const all = nodes.reduce((sum, node) => sum + (node.parent === null ? total(node) : 0), 0);
  const parents = new Set(nodes.map((node) => node.parent));
  const depth: number[] = [];
  const open: boolean[] = [];
  const rows: FoldRow[] = [];
  nodes.forEach((node, index) => {
    depth[index] = node.parent === null ? 0 : (depth[node.parent] ?? 0) + 1;
    const isOpen = total(node) > all * OPEN !== turned.has(index);
    const visible = node.parent === null || (open[node.parent] ?? false);
    open[index] = visible && isOpen;
    if (visible) rows.push({ index, depth: depth[index] ?? 0, has: parents.has(index), open: isOpen });
  });
  return rows;
}
