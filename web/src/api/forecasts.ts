import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { get, send } from './client';
import type { Edit, FindingForecast, Foreseen } from './types';

const ofLoad = (id: number, load: number) => `/recordings/${id}/loads/${load}`;

/** What the fix of each finding of a load would bring, alone. */
export const useFindingForecasts = (id: number, load: number) =>
  useQuery({
    queryKey: ['forecasts', id, load],
    queryFn: () => get<FindingForecast[]>(`${ofLoad(id, load)}/forecasts`),
    staleTime: Infinity,
    retry: false,
  });

/** What edits would bring together. */
export const useForeseen = (id: number, load: number, edits: Edit[]) =>
  useQuery({
    queryKey: ['foreseen', id, load, edits],
    queryFn: () => send<Foreseen>('POST', `${ofLoad(id, load)}/forecast`, { edits }),
    enabled: edits.length > 0,
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    retry: false,
  });
