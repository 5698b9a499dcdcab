import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { get, send } from './client';
import type {
  CostOfSpans,
  Job,
  LoadOf,
  Neighbours,
  OwnerGain,
  OwnerRule,
  OwnersView,
  ProfileHead,
  ProfileReading,
  RuleMatches,
  ServerAnswer,
  ServerRecord,
  ServerView,
} from './types';

const ofSite = (site: string | undefined) => `/sites/${encodeURIComponent(site ?? '')}`;

/** The server's work for a load. */
export const useServerWork = (id: number, number: number, enabled = true) =>
  useQuery({
    enabled,
    queryKey: ['server', id, number],
    queryFn: () => get<ServerView>(`/recordings/${id}/loads/${number}/server`),
    // Spans may come late.
    staleTime: 10_000,
    retry: false,
  });

/** Traces that belong to no load. */
export const useServerRecords = () =>
  useQuery({ queryKey: ['server-records'], queryFn: () => get<ServerRecord[]>('/server-records'), staleTime: 5_000 });

export const useServerRecord = (trace: string | undefined) =>
  useQuery({
    queryKey: ['server-records', trace],
    queryFn: () => get<ServerAnswer[]>(`/server-records/${trace}`),
    enabled: Boolean(trace),
    retry: false,
  });

export function useDropServerRecord() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (trace: string) => send('DELETE', `/server-records/${trace}`),
    onSuccess: () => client.invalidateQueries({ queryKey: ['server-records'] }),
  });
}

const upTo = (until: string) => (until ? `?until=${encodeURIComponent(until)}` : '');

/** Each owner's costs on the pages of a site, by the newest recordings up to a day. */
export const useOwners = (site: string | undefined, until: string, enabled = true) =>
  useQuery({
    queryKey: ['owners', site, until],
    queryFn: () => get<OwnersView>(`${ofSite(site)}/owners${upTo(until)}`),
    enabled: Boolean(site) && enabled,
    placeholderData: keepPreviousData,
    retry: false,
  });

/** What doing without each of them would bring. */
export const useOwnerGains = (site: string | undefined, until: string) =>
  useQuery({
    queryKey: ['owners', site, 'gains', until],
    queryFn: () => get<OwnerGain[]>(`${ofSite(site)}/owners/gains${upTo(until)}`),
    enabled: Boolean(site),
    retry: false,
  });

export const useOwnerRules = (site: string | undefined) =>
  useQuery({
    queryKey: ['owner-rules', site],
    queryFn: () => get<OwnerRule[]>(`${ofSite(site)}/owner-rules`),
    enabled: Boolean(site),
  });

/** What rules would fit of what was recorded. */
export const useTriedRules = (site: string | undefined, rules: OwnerRule[]) =>
  useQuery({
    queryKey: ['owner-rules', site, 'try', rules],
    queryFn: () => send<RuleMatches[]>('POST', `${ofSite(site)}/owner-rules/try`, rules),
    enabled: Boolean(site) && rules.length > 0,
    placeholderData: keepPreviousData,
    retry: false,
  });

/** Sets a site's rules: everything that was computed of it is computed anew. */
export function useSetOwnerRules(site: string | undefined) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (rules: OwnerRule[]) => send('PUT', `${ofSite(site)}/owner-rules`, rules),
    onSuccess: () => client.invalidateQueries(),
  });
}

/** What telling costs the server: loads with spans held against loads without. */
export const useCostOfSpans = (recording: number) =>
  useQuery({
    queryKey: ['recordings', 'cost-of-spans', recording],
    queryFn: () => get<CostOfSpans>(`/recordings/${recording}/cost-of-spans`),
    staleTime: 5_000,
  });

/** Records the page without and with spans, turn by turn. */
export function useMeasureSpans(recording: number) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: () => send<Job[]>('POST', `/recordings/${recording}/cost-of-spans`),
    onSuccess: () => client.invalidateQueries({ queryKey: ['jobs'] }),
  });
}

/** The profiles of a recording's page and of its loads. */
export const useProfiles = (recording: number) =>
  useQuery({
    queryKey: ['profiles', 'of', recording],
    queryFn: () => get<ProfileHead[]>(`/recordings/${recording}/profiles`),
  });

/** A profile by one of its measures. */
export const useProfile = (id: string, measure: number) =>
  useQuery({
    queryKey: ['profiles', id, measure],
    queryFn: () => get<ProfileReading>(`/profiles/${id}?measure=${measure}`),
    placeholderData: keepPreviousData,
    retry: false,
  });

/** Who calls a function of a profile and whom it calls. */
export const useNeighbours = (id: string, measure: number, called: string) =>
  useQuery({
    queryKey: ['profiles', id, measure, called],
    queryFn: () => get<Neighbours>(`/profiles/${id}/functions/${called}?measure=${measure}`),
    enabled: called !== '',
    placeholderData: keepPreviousData,
    retry: false,
  });

/** Adding, giving away and deleting profiles of a recording's page. */
export function useProfileChanges(recording: number) {
  const client = useQueryClient();
  const onSuccess = () => client.invalidateQueries({ queryKey: ['profiles'] });
  const add = ({ file, signal }: { file: File; signal: AbortSignal }) => {
    const about = new URLSearchParams({ name: file.name, written: new Date(file.lastModified).toISOString() });
    return send<ProfileHead>('POST', `/recordings/${recording}/profiles?${about.toString()}`, file, signal);
  };
  return {
    add: useMutation({ mutationFn: add, onSuccess }),
    give: useMutation({
      mutationFn: ({ id, of }: { id: number; of: LoadOf | null }) => send('PUT', `/profiles/${id}/of`, of),
      onSuccess,
    }),
    drop: useMutation({ mutationFn: (id: number) => send('DELETE', `/profiles/${id}`), onSuccess }),
  };
}
