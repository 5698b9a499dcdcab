import { useCallback, useMemo } from 'react';
import { useSearchParams } from 'react-router';
import type { Analysis } from '../api/queries';
import type { Finding, Leg, LongTask, RequestRow } from '../api/types';
import { ownerKey } from '../parts/names';

/** What is selected, as it stands in the address: `request:12`, `leg:3`, `finding:…`, `task:0`, `owner:…`. */
export type Selection =
  | { kind: 'request'; id: number }
  | { kind: 'leg'; index: number }
  | { kind: 'finding'; key: string }
  | { kind: 'task'; index: number }
  | { kind: 'script'; url: string }
  | { kind: 'owner'; owner: string }
  | { kind: 'fix'; id: number }
  | null;

/** What a text in the address selects; nothing, where it makes no sense. */
export function parseSelection(text: string | null): Selection {
  if (!text) return null;
  const [kind, ...rest] = text.split(':');
  const value = rest.join(':');
  const number = Number(value);
  switch (kind) {
    case 'request':
      return Number.isInteger(number) ? { kind, id: number } : null;
    case 'fix':
      return Number.isInteger(number) ? { kind, id: number } : null;
    case 'leg':
    case 'task':
      return Number.isInteger(number) ? { kind, index: number } : null;
    case 'finding':
      return { kind, key: value };
    case 'script':
      return { kind, url: value };
    case 'owner':
      return { kind, owner: value };
    default:
      return null;
  }
}

export function selectionText(selection: Selection): string | null {
  if (!selection) return null;
  switch (selection.kind) {
    case 'request':
    case 'fix':
      return `${selection.kind}:${selection.id}`;
    case 'leg':
    case 'task':
      return `${selection.kind}:${selection.index}`;
    case 'finding':
      return `finding:${selection.key}`;
    case 'script':
      return `script:${selection.url}`;
    case 'owner':
      return `owner:${selection.owner}`;
  }
}

/** The one selection; it lives in the address, so every section and every link knows it. */
export function useSelection(): [Selection, (next: Selection) => void] {
  const [params, setParams] = useSearchParams();
  const text = params.get('sel');
  const selection = useMemo(() => parseSelection(text), [text]);
  const select = useCallback(
    (next: Selection) =>
      setParams(
        () => {
          const after = new URLSearchParams(window.location.search);
          const value = selectionText(next);
          if (value === null) after.delete('sel');
          else after.set('sel', value);
          return after;
        },
        { replace: true },
      ),
    [setParams],
  );
  return [selection, select];
}

/** What the selection is about in a load, so that each view can mark its own rows. */
export interface Marked {
  request: number | null;
  url: string | null;
  owner: string | null;
  leg: (leg: Leg, index: number) => boolean;
  row: (row: RequestRow) => boolean;
  finding: (finding: Finding) => boolean;
  task: (task: LongTask, index: number) => boolean;
  script: (url: string | null) => boolean;
}

export function useMarked(load: Analysis | undefined, selection: Selection): Marked {
  return useMemo(() => {
    let request: number | null = null;
    let url: string | null = null;
    const owner = selection?.kind === 'owner' ? selection.owner : null;
    if (load && selection) {
      const byId = (id: number | null | undefined) => load.requests.find((r) => r.id === id);
      if (selection.kind === 'request') request = selection.id;
      if (selection.kind === 'leg') {
        const leg = load.lcp?.path[selection.index];
        request = leg?.request ?? null;
        url = leg?.url ?? null;
      }
      if (selection.kind === 'finding') {
        const finding = load.findings.find((f) => f.key === selection.key);
        request = finding?.request ?? null;
        url = finding?.url ?? null;
      }
      if (selection.kind === 'task') url = load.main_thread?.long_tasks[selection.index]?.url ?? null;
      if (selection.kind === 'script') url = selection.url;
      if (url === null) url = byId(request)?.url ?? null;
      if (request === null && url !== null) request = load.requests.find((r) => r.url === url)?.id ?? null;
    }
    const about = (id: number | null, address: string | null) =>
      (id !== null && id === request) || (address !== null && address === url);
    return {
      request,
      url,
      owner,
      leg: (leg, index) =>
        (selection?.kind === 'leg' && selection.index === index) ||
        (selection?.kind !== 'leg' && (about(leg.request, leg.url) || ownerKey(leg.owner) === owner)),
      row: (row) => row.id === request || ownerKey(row.owner) === owner,
      finding: (finding) =>
        selection?.kind === 'finding'
          ? finding.key === selection.key
          : about(finding.request, finding.url) || ownerKey(finding.owner) === owner,
      task: (task, index) =>
        selection?.kind === 'task'
          ? selection.index === index
          : about(null, task.url) || ownerKey(task.owner) === owner,
      script: (address) => address !== null && address === url,
    };
  }, [load, selection]);
}
