import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { get, send } from './client';
import type { About, Analysis, FixChange, Job, JobRequest, Made, NewFix, Plan, RecordingHead } from './types';

export const useAbout = () => useQuery({ queryKey: ['about'], queryFn: () => get<About>('/about'), staleTime: 60_000 });

export const useRecordings = () =>
  useQuery({ queryKey: ['recordings'], queryFn: () => get<RecordingHead[]>('/recordings') });

export const useRecording = (id: number) =>
  useQuery({
    queryKey: ['recording', id],
    queryFn: () => get<RecordingHead>(`/recordings/${id}`),
    staleTime: Infinity,
  });

/** A load never changes once it is kept. */
export const useLoad = (id: number, number: number | undefined) =>
  useQuery({
    queryKey: ['load', id, number],
    queryFn: () => get<Analysis>(`/recordings/${id}/loads/${number}`),
    enabled: number !== undefined,
    staleTime: Infinity,
  });

export const useJobs = () =>
  useQuery({
    queryKey: ['jobs'],
    queryFn: () => get<Job[]>('/jobs'),
    refetchInterval: (q) => (q.state.data?.length ? 1500 : false),
  });

export const usePlan = (site: string | undefined) =>
  useQuery({
    queryKey: ['plan', site],
    queryFn: () => get<Plan>(`/sites/${encodeURIComponent(site ?? '')}/plan`),
    enabled: Boolean(site),
  });

export function useStartJob() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (wanted: JobRequest) => send<Job>('POST', '/jobs', wanted),
    onSuccess: () => client.invalidateQueries({ queryKey: ['jobs'] }),
  });
}

export function useImport() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (file: File) => send<Made>('POST', `/import?name=${encodeURIComponent(file.name)}`, file),
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
  const onSuccess = () => client.invalidateQueries({ queryKey: ['plan', site] });
  return {
    add: useMutation({ mutationFn: (fix: NewFix) => send<Made>('POST', `${base}/fixes`, fix), onSuccess }),
    set: useMutation({
      mutationFn: ({ id, ...change }: FixChange & { id: number }) => send('PATCH', `${base}/fixes/${id}`, change),
      onSuccess,
    }),
    remove: useMutation({ mutationFn: (id: number) => send('DELETE', `${base}/fixes/${id}`), onSuccess }),
    order: useMutation({ mutationFn: (ids: number[] | null) => send('PUT', `${base}/order`, { ids }), onSuccess }),
  };
}
