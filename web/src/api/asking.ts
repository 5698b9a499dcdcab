import {
  QueryClient,
  type InvalidateOptions,
  type InvalidateQueryFilters,
  type Query,
  type QueryKey,
} from '@tanstack/react-query';
import { Refused } from './client';

/**
 * Questions to the server, and what it answered. What is out of date is asked anew even where the first answer is still
 * on its way: the library would wait for that one, and keep it, though it may be from before the change.
 */
export class Asking extends QueryClient {
  constructor() {
    super({
      defaultOptions: {
        queries: {
          // What the server refused it will refuse again; a server that is away may come back.
          retry: (count, error) => error instanceof Refused && error.status === 0 && count < 2,
        },
      },
    });
  }

  override async invalidateQueries<K extends QueryKey = QueryKey>(
    filters?: InvalidateQueryFilters<K>,
    options?: InvalidateOptions,
  ): Promise<void> {
    const unanswered = (query: Query) => query.state.data === undefined && query.state.fetchStatus !== 'idle';
    const waiting = this.getQueryCache()
      .findAll(filters as InvalidateQueryFilters)
      .filter(unanswered);
    await Promise.all(waiting.map((query) => query.cancel({ revert: true, silent: true })));
    await super.invalidateQueries(filters, options);
  }
}
