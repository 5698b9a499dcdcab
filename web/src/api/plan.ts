import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useCallback, useEffect, useRef, useState } from 'react';
import { ownerKey } from '../parts/names';
import { get, send } from './client';
import type {
  Alone,
  CandidateFix,
  Comparison,
  Edit,
  Job,
  Metric,
  MoreLoads,
  NotedOwner,
  PlanLine,
  PlanPageChoice,
  PlannedFix,
  PlanPageRow,
  PlanStep,
  Proof,
  Proposal,
  SearchState,
} from './types';

const ofSite = (site: string | undefined) => `/sites/${encodeURIComponent(site ?? '')}`;

/** Every page of a site, and how its plan counts it. */
export const usePlanPages = (site: string | undefined) =>
  useQuery({
    queryKey: ['plan', site, 'pages'],
    queryFn: () => get<PlanPageRow[]>(`${ofSite(site)}/plan/pages`),
    enabled: Boolean(site),
  });

type Steps = [first: number, last: number];

/** The question for the line of fixes in this order, or for some of its steps. */
const lineOf = (site: string | undefined, fixes: PlannedFix[], steps: Steps | null) => {
  const edits = fixes.map((f) => f.fix.edit);
  return {
    queryKey: ['plan', site, 'line', edits, steps],
    queryFn: async () => ({
      ...(await send<PlanLine>('POST', `${ofSite(site)}/plan/line`, { edits, steps: steps ?? undefined })),
      keys: fixes.map((f) => f.fix.key),
    }),
    retry: false,
  };
};

/**
 * What each of the fixes brings after those above it. The steps `inView` come first, the others follow; until then
 * there is what was said before the order changed.
 */
export function usePlanLine(site: string | undefined, fixes: PlannedFix[], inView: Steps | null, ready: boolean) {
  const client = useQueryClient();
  const enabled = ready && Boolean(site);
  const near = useQuery({ ...lineOf(site, fixes, inView), enabled: enabled && inView !== null });
  const whole = useQuery({
    ...lineOf(site, fixes, null),
    enabled: enabled && (inView === null || !near.isPending),
    placeholderData: keepPreviousData,
  });
  const isCurrent = Boolean(whole.data) && !whole.isPlaceholderData;
  const places = new Map(fixes.map((f, i) => [f.fix.key, i + 1]));
  const before = new Map(whole.data?.keys.map((key, i) => [key, i + 1]));
  /** The step of a fix and the one before it, and whether they are of this order. */
  const stepOf = (key: string): { step?: PlanStep; before?: PlanStep; isCurrent: boolean } => {
    const place = places.get(key);
    if (place === undefined) return { isCurrent: true };
    const at = place - (inView?.[0] ?? 0);
    if (!isCurrent && near.data?.steps[at])
      return { step: near.data.steps[at], before: near.data.steps[at - 1], isCurrent: true };
    const was = before.get(key);
    return was ? { step: whole.data?.steps[was], before: whole.data?.steps[was - 1], isCurrent } : { isCurrent };
  };
  /** Asks before the rows are drawn in a new order. */
  const foresee = (fixes: PlannedFix[], inView: Steps | null) => void client.prefetchQuery(lineOf(site, fixes, inView));
  return { data: whole.data, error: whole.error, refetch: whole.refetch, stepOf, foresee };
}

/** What findings of the pages that count call for. */
export const useCandidates = (site: string | undefined) =>
  useQuery({
    queryKey: ['plan', site, 'candidates'],
    queryFn: () => get<CandidateFix[]>(`${ofSite(site)}/plan/candidates`),
    enabled: Boolean(site),
  });

/** What fixes bring, each by itself. */
export const useAlone = (site: string | undefined, edits: Edit[]) =>
  useQuery({
    queryKey: ['plan', site, 'alone', edits],
    queryFn: () => send<Alone[]>('POST', `${ofSite(site)}/plan/alone`, { edits }),
    enabled: edits.length > 0,
    placeholderData: keepPreviousData,
    retry: false,
  });

/** What a fix may break, and how to find out. */
export const useBreaks = (site: string | undefined, edit: Edit) =>
  useQuery({
    queryKey: ['plan', site, 'breaks', edit],
    queryFn: () => send<string[]>('POST', `${ofSite(site)}/plan/breaks`, { edit }),
    retry: false,
  });

/** What became of the fixes that are done. */
export const useProofs = (site: string | undefined, any: boolean) =>
  useQuery({
    queryKey: ['plan', site, 'proofs'],
    queryFn: () => get<Proof[]>(`${ofSite(site)}/plan/proofs`),
    enabled: any && Boolean(site),
    retry: false,
  });

export const useOwnerNotes = (site: string | undefined) =>
  useQuery({
    queryKey: ['owner-notes', site],
    queryFn: () => get<NotedOwner[]>(`${ofSite(site)}/owner-notes`),
    enabled: Boolean(site),
  });

export function usePlanAbout(site: string | undefined) {
  const client = useQueryClient();
  const notes = ['owner-notes', site];
  const onSuccess = () =>
    Promise.all([
      client.invalidateQueries({ queryKey: ['plan', site] }),
      client.invalidateQueries({ queryKey: notes }),
    ]);
  return {
    page: useMutation({
      mutationFn: (choice: PlanPageChoice) => send('PUT', `${ofSite(site)}/plan/pages`, choice),
      onSuccess,
    }),
    owner: useMutation({
      mutationFn: (noted: NotedOwner) => send('PUT', `${ofSite(site)}/owner-notes`, noted),
      // A note is sent whole: what is changed next starts from this one, not from what the server told before it.
      mutationKey: notes,
      scope: { id: 'owner-notes' },
      onMutate: async (noted: NotedOwner) => {
        await client.cancelQueries({ queryKey: notes });
        const key = ownerKey(noted.owner);
        client.setQueryData<NotedOwner[]>(notes, (known = []) => [
          ...known.filter((other) => ownerKey(other.owner) !== key),
          noted,
        ]);
      },
      // The last of several asks what stands there now; an answer before it would take the later ones back.
      onSettled: () => (client.isMutating({ mutationKey: notes }) === 1 ? onSuccess() : undefined),
    }),
  };
}

export type Search =
  | { state: 'idle' }
  | { state: 'waiting' }
  | { state: 'searching'; sets: number }
  | { state: 'done'; found: Proposal }
  | { state: 'failed'; why: string };

/** A search over the forecast: followed while it runs, ended by closing. */
export function useSearch(site: string | undefined) {
  const [search, setSearch] = useState<Search>({ state: 'idle' });
  const source = useRef<EventSource | null>(null);
  const close = useCallback(() => {
    source.current?.close();
    source.current = null;
  }, []);
  useEffect(() => close, [close]);
  const ask = (question: { ask: 'least_effort' } | { ask: 'best'; effort: number }, metrics: Metric[]) => {
    close();
    setSearch({ state: 'waiting' });
    const words = new URLSearchParams({ ask: question.ask, metrics: metrics.join(',') });
    if (question.ask === 'best') words.set('effort', String(question.effort));
    const events = new EventSource(`/api${ofSite(site)}/plan/search?${words}`);
    source.current = events;
    events.onmessage = (event) => {
      const told = JSON.parse(event.data as string) as SearchState;
      setSearch(told);
      if (told.state === 'done' || told.state === 'failed') close();
    };
    events.onerror = () => {
      close();
      setSearch({ state: 'failed', why: 'The server does not answer, or refuses the question.' });
    };
  };
  const clear = () => {
    close();
    setSearch({ state: 'idle' });
  };
  return { search, ask, clear };
}

/** Two recordings, or groups of them, held against each other. */
export const useComparison = (a: string, b: string) =>
  useQuery({
    queryKey: ['compare', a, b],
    queryFn: () => get<Comparison>(`/compare?a=${encodeURIComponent(a)}&b=${encodeURIComponent(b)}`),
    enabled: Boolean(a && b),
    staleTime: 60_000,
    retry: false,
  });

export function useMoreLoads() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (more: MoreLoads) => send<Job[]>('POST', '/compare/more', more),
    onSuccess: () => client.invalidateQueries({ queryKey: ['jobs'] }),
  });
}
