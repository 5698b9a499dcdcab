import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { get, send } from './client';
import type { Change, FileText, OfferedEdit, Trial, TrialOffer, TrialRequest, TriedFix } from './types';

const ofLoad = (id: number, load: number) => `/recordings/${id}/loads/${load}`;

/** What can be tried of a load. */
export const useTrialOffer = (id: number, load: number) =>
  useQuery({
    queryKey: ['trial-offer', id, load],
    queryFn: () => get<TrialOffer>(`${ofLoad(id, load)}/trial`),
    staleTime: Infinity,
  });

const underWay = (trial: Trial | undefined) => trial?.state === 'running';

/** The trials of a recording, newest first; followed while one is under way. */
export const useTrials = (id: number) =>
  useQuery({
    queryKey: ['trials', id],
    queryFn: () => get<Trial[]>(`/recordings/${id}/trials`),
    refetchInterval: (q) => (q.state.data?.some(underWay) ? 2000 : false),
  });

export const useTrial = (trial: number) =>
  useQuery({
    queryKey: ['trial', trial],
    queryFn: () => get<Trial>(`/trials/${trial}`),
    refetchInterval: (q) => (underWay(q.state.data) ? 700 : false),
  });

/** What trials of single fixes of a site came to, by the fixes' keys. */
export const useTried = (site: string | undefined) =>
  useQuery({
    queryKey: ['tried', site],
    queryFn: () => get<TriedFix[]>(`/sites/${encodeURIComponent(site ?? '')}/tried`),
    enabled: site !== undefined,
  });

/** A file's text, to be edited by hand. */
export const useFileText = (id: number, load: number, request: number) =>
  useQuery({
    queryKey: ['file-text', id, load, request],
    queryFn: () => get<FileText>(`${ofLoad(id, load)}/requests/${request}/text`),
    staleTime: Infinity,
    retry: false,
  });

/** What its edits change, file by file. */
export const useChanges = (trial: number) =>
  useQuery({
    queryKey: ['trial-changes', trial],
    queryFn: () => get<Change[]>(`/trials/${trial}/changes`),
    staleTime: Infinity,
    retry: false,
  });

export function useTrialChanges(recording: number) {
  const client = useQueryClient();
  const onSuccess = () => client.invalidateQueries({ queryKey: ['trials', recording] });
  return {
    start: useMutation({
      mutationFn: ({ load, ...wanted }: TrialRequest & { load: number }) =>
        send<Trial[]>('POST', `${ofLoad(recording, load)}/trials`, wanted),
      onSuccess,
    }),
    /** Ends one that is under way, or forgets one that is over. */
    remove: useMutation({ mutationFn: (id: number) => send('DELETE', `/trials/${id}`), onSuccess }),
    /** Reads an edit as the command line writes it. */
    read: useMutation({
      mutationFn: ({ load, text }: { load: number; text: string }) =>
        send<OfferedEdit>('POST', `${ofLoad(recording, load)}/edit`, { text }),
    }),
  };
}
