import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { get, send } from './client';
import type { OwnerGain, OwnerRule, OwnersView, RuleMatches, ServerAnswer, ServerRecord, ServerView } from './types';

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
