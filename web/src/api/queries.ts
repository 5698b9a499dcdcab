import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect } from 'react';
import { get, getBytes, send } from './client';
import { readTracks } from './tracks';
import type {
  About,
  BodyText,
  Conditions,
  DetailAbout,
  DocumentView,
  FixChange,
  Functions,
  Headers,
  Imported,
  Job,
  JobRequest,
  Leg,
  LoadOverview,
  Made,
  NewFix,
  Plan,
  PlannedFix,
  RecordingHead,
  Recordings,
  Relief,
  RequestRow,
  Rereading,
  Room,
  SaidVisit,
  SiteWeight,
  Thin,
  Thinned,
  ThreadDetail,
} from './types';

export const useAbout = () => useQuery({ queryKey: ['about'], queryFn: () => get<About>('/about'), staleTime: 60_000 });

/** A load as every section of a recording knows it. */
export type Analysis = LoadOverview & { requests: RequestRow[] };

/** Part of the list. What is empty is not asked with: the newest of all have the address that `index.html` preloads. */
const listed = (ask: Record<string, string>) =>
  get<Recordings>(`/recordings?${new URLSearchParams(Object.entries(ask).filter(([, value]) => value))}`);

/** How many recordings come at once. */
export const PAGE = 200;

/** Recordings that have all of these words, newest first, one page after the other. */
export const useRecordingPages = (words: string, enabled = true) =>
  useInfiniteQuery({
    enabled,
    queryKey: ['recordings', 'pages', words],
    queryFn: ({ pageParam }) => listed({ q: words, limit: String(PAGE), offset: pageParam ? String(pageParam) : '' }),
    initialPageParam: 0,
    getNextPageParam: (last, all) => {
      const shown = all.reduce((sum, page) => sum + page.rows.length, 0);
      return shown < last.matching && last.rows.length ? shown : undefined;
    },
    placeholderData: (before) => before,
  });

/** The newest recordings, of a site where one is named. */
export const useRecent = (site?: string): RecordingHead[] | undefined => {
  const ofAll = useRecordingPages('', site === undefined);
  const ofSite = useQuery({
    enabled: site !== undefined,
    queryKey: ['recordings', 'recent', site],
    queryFn: async () => (await listed({ limit: String(PAGE), site: site ?? '' })).rows,
  });
  return site === undefined ? ofAll.data?.pages[0]?.rows : ofSite.data;
};

/** How far reading older recordings anew has come; lists follow it. */
export const useRereading = () => {
  const client = useQueryClient();
  return useQuery({
    queryKey: ['rereading'],
    queryFn: async () => {
      const before = client.getQueryData<Rereading>(['rereading']);
      const now = await get<Rereading>('/rereading');
      if (before && before.done !== now.done) void client.invalidateQueries({ queryKey: ['recordings'] });
      return now;
    },
    refetchInterval: (q) => (q.state.data && q.state.data.done < q.state.data.of ? 1000 : false),
  });
};

export const useRecording = (id: number, enabled = true) =>
  useQuery({
    enabled,
    queryKey: ['recording', id],
    queryFn: () => get<RecordingHead>(`/recordings/${id}`),
    staleTime: Infinity,
  });

/** A load never changes once it is kept. */
export const useLoad = (id: number, number: number | undefined) =>
  useQuery({
    queryKey: ['load', id, number],
    queryFn: async (): Promise<Analysis> => {
      const of = `/recordings/${id}/loads/${number}`;
      const [overview, requests] = await Promise.all([get<LoadOverview>(of), get<RequestRow[]>(`${of}/requests`)]);
      return { ...overview, requests };
    },
    enabled: number !== undefined,
    staleTime: Infinity,
  });

const ofLoad = (id: number, number: number) => `/recordings/${id}/loads/${number}`;

const tracks = (id: number, number: number) => ({
  queryKey: ['tracks', id, number],
  queryFn: async () => readTracks(await getBytes(`${ofLoad(id, number)}/tracks`)),
  staleTime: Infinity,
  gcTime: 60_000,
});

/** The main thread to be drawn. */
export const useTracks = (id: number, number: number) => useQuery(tracks(id, number));

/** Asks for it beside the load rather than after it, where the section that draws it is open. */
export function useTracksEarly(id: number, number: number | undefined, wanted: boolean) {
  const client = useQueryClient();
  useEffect(() => {
    if (wanted && number !== undefined) void client.prefetchQuery(tracks(id, number));
  }, [client, id, number, wanted]);
}

/** What only the screens with a time axis need of the main thread. */
export const useThread = (id: number, number: number) =>
  useQuery({
    queryKey: ['thread', id, number],
    queryFn: () => get<ThreadDetail>(`${ofLoad(id, number)}/thread`),
    staleTime: Infinity,
  });

/** The path to the first paint (`first-paint`) or to a request's last byte (`request:12`). */
export const usePathTo = (id: number, number: number, to: string) =>
  useQuery({
    queryKey: ['path', id, number, to],
    queryFn: () => get<Leg[]>(`${ofLoad(id, number)}/path?to=${encodeURIComponent(to)}`),
    enabled: to !== '',
    staleTime: Infinity,
    retry: false,
  });

/** What the largest paint would gain from each file of its path, were it there at once. */
export const useReliefs = (id: number, number: number) =>
  useQuery({
    queryKey: ['reliefs', id, number],
    queryFn: () => get<Relief[]>(`${ofLoad(id, number)}/reliefs`),
    staleTime: Infinity,
    retry: false,
  });

/** Headers of a request and of its answer. */
export const useHeaders = (id: number, number: number, request: number) =>
  useQuery({
    queryKey: ['headers', id, number, request],
    queryFn: () => get<Headers>(`${ofLoad(id, number)}/requests/${request}/headers`),
    staleTime: Infinity,
    retry: false,
  });

/** Time by function, over a stretch of the load or all of it. */
export const useFunctions = (id: number, number: number, span: { from: number; to: number } | null, enabled: boolean) =>
  useQuery({
    queryKey: ['functions', id, number, span?.from ?? null, span?.to ?? null],
    queryFn: () => get<Functions>(`${ofLoad(id, number)}/functions${span ? `?from=${span.from}&to=${span.to}` : ''}`),
    enabled,
    staleTime: Infinity,
    placeholderData: (before) => before,
  });

export const useDocument = (id: number, number: number) =>
  useQuery({
    queryKey: ['document', id, number],
    queryFn: () => get<DocumentView>(`${ofLoad(id, number)}/document`),
    staleTime: Infinity,
    retry: false,
  });

export const useBody = (id: number, number: number, request: number, enabled: boolean) =>
  useQuery({
    queryKey: ['body', id, number, request],
    queryFn: () => get<BodyText>(`${ofLoad(id, number)}/requests/${request}/body`),
    enabled,
    staleTime: Infinity,
    retry: false,
  });

export const useVisits = (id: number, first: number | undefined, again: number | undefined) =>
  useQuery({
    queryKey: ['visits', id, first, again],
    queryFn: () => get<SaidVisit>(`/recordings/${id}/visits?first=${first}&again=${again}`),
    enabled: first !== undefined && again !== undefined,
    staleTime: Infinity,
  });

export const useDetail = (id: number) =>
  useQuery({
    queryKey: ['detail', id],
    queryFn: () => get<DetailAbout | null>(`/recordings/${id}/detail`),
    staleTime: Infinity,
  });

export const useUsed = (id: number, url: string, enabled: boolean) =>
  useQuery({
    queryKey: ['used', id, url],
    queryFn: () => get<[number, number][]>(`/recordings/${id}/detail/used?url=${encodeURIComponent(url)}`),
    enabled,
    staleTime: Infinity,
    retry: false,
  });

export const useSiteWeight = (ids: number[]) =>
  useQuery({
    queryKey: ['site-weight', ...ids],
    queryFn: () => get<SiteWeight>(`/site-weight?recordings=${ids.join(',')}`),
    enabled: ids.length > 0,
    staleTime: Infinity,
    placeholderData: (before) => before,
  });

export const useJobs = () =>
  useQuery({
    queryKey: ['jobs'],
    queryFn: () => get<Job[]>('/jobs'),
    refetchInterval: (q) => (q.state.data?.length ? 1500 : false),
  });

/** Conditions of the user's own, saved by name. */
export const useOwnConditions = () =>
  useQuery({ queryKey: ['conditions'], queryFn: () => get<Conditions[]>('/conditions') });

export function useConditionsChanges() {
  const client = useQueryClient();
  const onSuccess = () => client.invalidateQueries({ queryKey: ['conditions'] });
  return {
    save: useMutation({ mutationFn: (own: Conditions) => send('PUT', '/conditions', own), onSuccess }),
    remove: useMutation({
      mutationFn: (name: string) => send('DELETE', `/conditions/${encodeURIComponent(name)}`),
      onSuccess,
    }),
  };
}

export const usePlan = (site: string | undefined) =>
  useQuery({
    queryKey: ['plan', site],
    queryFn: () => get<Plan>(`/sites/${encodeURIComponent(site ?? '')}/plan`),
    enabled: Boolean(site),
  });

export function useStartJob() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (wanted: JobRequest) => send<Job[]>('POST', '/jobs', wanted),
    onSuccess: () => client.invalidateQueries({ queryKey: ['jobs'] }),
  });
}

export function useImport() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ files, chosen }: { files: File[]; chosen?: number[] | undefined }) => {
      const form = new FormData();
      if (chosen) form.append('pages', chosen.join(','));
      for (const file of files) form.append('file', file, file.name);
      return send<Imported>('POST', '/import', form);
    },
    onSuccess: () => client.invalidateQueries({ queryKey: ['recordings'] }),
  });
}

export function useRecordingChanges() {
  const client = useQueryClient();
  const again = () => client.invalidateQueries({ queryKey: ['recordings'] });
  return {
    remove: useMutation({ mutationFn: (id: number) => send('DELETE', `/recordings/${id}`), onSuccess: again }),
    restore: useMutation({ mutationFn: (id: number) => send('POST', `/recordings/${id}/restore`), onSuccess: again }),
  };
}

export function usePlanChanges(site: string | undefined) {
  const client = useQueryClient();
  const base = `/sites/${encodeURIComponent(site ?? '')}/plan`;
  const order = ['plan-order', site];
  // What is said of a change does not wait for what follows from it.
  const onSuccess = () => {
    void client.invalidateQueries({ queryKey: ['plan', site, 'proofs'] });
    return client.invalidateQueries({ queryKey: ['plan', site], exact: true });
  };
  return {
    /** The plan as it is by now: keys come faster than the screen is drawn. */
    now: () => client.getQueryData<Plan>(['plan', site]),
    add: useMutation({ mutationFn: (fix: NewFix) => send<Made>('POST', `${base}/fixes`, fix), onSuccess }),
    set: useMutation({
      mutationFn: ({ id, ...change }: FixChange & { id: number }) => send('PATCH', `${base}/fixes/${id}`, change),
      onSuccess,
    }),
    remove: useMutation({ mutationFn: (id: number) => send('DELETE', `${base}/fixes/${id}`), onSuccess }),
    order: useMutation({
      mutationFn: (ids: number[] | null) => send('PUT', `${base}/order`, { ids }),
      mutationKey: order,
      scope: { id: 'plan-order' },
      // The rows move at once, and what they bring is asked for without waiting for the order to be kept.
      onMutate: async (ids: number[] | null) => {
        await client.cancelQueries({ queryKey: ['plan', site], exact: true });
        if (!ids) return;
        const place = new Map(ids.map((id, i) => [id, i]));
        const placeOf = (fix: PlannedFix) => place.get(fix.id) ?? ids.length;
        client.setQueryData<Plan>(
          ['plan', site],
          (plan) => plan && { ...plan, own_order: true, fixes: plan.fixes.toSorted((a, b) => placeOf(a) - placeOf(b)) },
        );
      },
      // An answer before the last of several moves would take the later ones back.
      onSettled: () =>
        client.isMutating({ mutationKey: order }) === 1
          ? client.invalidateQueries({ queryKey: ['plan', site], exact: true })
          : undefined,
    }),
  };
}

/** What the data takes on the disk. */
export const useRoom = () => useQuery({ queryKey: ['storage'], queryFn: () => get<Room>('/storage') });

export function useRoomChanges() {
  const client = useQueryClient();
  const onSuccess = () =>
    Promise.all([
      client.invalidateQueries({ queryKey: ['storage'] }),
      client.invalidateQueries({ queryKey: ['recordings'] }),
    ]);
  return {
    thin: useMutation({ mutationFn: (what: Thin) => send<Thinned>('POST', '/storage/thin', what), onSuccess }),
    purge: useMutation({ mutationFn: () => send<Thinned>('POST', '/storage/purge'), onSuccess }),
  };
}
