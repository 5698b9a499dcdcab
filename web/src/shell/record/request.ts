import type { Distance, JobRequest, WantedConditions, WantedPage } from '../../api/types';

/** What the record dialog holds while it is filled in. */
export interface Form {
  /** One address a line; what stands before the address on its line is the kind of page. */
  addresses: string;
  /** The kind of page of a single address; empty until it is typed, and then it stays. */
  page: string;
  /** Names of the chosen conditions: presets by their id, own ones by `own:` and their name. */
  conditions: string[];
  distance: Distance;
  loads: number;
  again: boolean;
  steps: string;
  longest: number;
  bodies: boolean;
  /** Whether the page's own host is asked to tell of its work. */
  spans: boolean;
  hidden: string;
  blocked: string;
  headers: string;
  cookies: string;
  basic: string;
  logInAt: string;
  logIn: string;
}

export const EMPTY: Form = {
  addresses: '',
  page: '',
  conditions: ['phone-on-the-move'],
  distance: 'same_city',
  loads: 3,
  again: true,
  steps: '',
  longest: 45,
  bodies: true,
  spans: true,
  hidden: '',
  blocked: '',
  headers: '',
  cookies: '',
  basic: '',
  logInAt: '',
  logIn: '',
};

/**
 * The kind of page that an address names by itself: the last part of its path, or Home. The server
 * says the same of addresses that come without one (`keep.rs`).
 */
export function pageOf(address: string): string {
  let path: string;
  try {
    path = new URL(address).pathname;
  } catch {
    return '';
  }
  const parts = path.split('/').filter(Boolean);
  if (/^index(\.\w{1,5})?$/.test(parts.at(-1) ?? '')) parts.pop();
  const part = parts.at(-1);
  if (!part) return 'Home';
  let words = part;
  try {
    words = decodeURIComponent(part);
  } catch {
    // A stray percent sign: the part as it stands.
  }
  words = words
    .replace(/\.\w{1,5}$/, '')
    .replace(/[-_+]+/g, ' ')
    .trim();
  if (words === '') return 'Home';
  return words.charAt(0).toUpperCase() + words.slice(1, 60);
}

/** The pages that the lines ask for; `known` gives the kind under which an address was recorded before. */
export function pagesOf(form: Pick<Form, 'addresses' | 'page'>, known: Map<string, string> = new Map()): WantedPage[] {
  const lines = form.addresses
    .split('\n')
    .map((l) => l.trim())
    .filter(Boolean);
  return lines.map((line) => {
    const at = line.search(/https?:\/\//);
    const url = at > 0 ? line.slice(at) : line;
    const named = at > 0 ? line.slice(0, at).replace(/[\s=:]+$/, '') : '';
    const typed = lines.length === 1 ? form.page : '';
    return { url, page: typed || named || known.get(url) || pageOf(url) };
  });
}

/** What is sent for a form, its addresses passed through `repaired`. */
export function requestOf(
  form: Form,
  own: { name: string }[],
  known: Map<string, string>,
  repaired: (url: string) => string = (url) => url,
): JobRequest {
  const conditions = form.conditions.flatMap((id): WantedConditions[] => {
    if (!id.startsWith('own:')) return [{ preset: id, distance: form.distance }];
    const found = own.find((c) => c.name === id.slice(4));
    return found ? [found as WantedConditions] : [];
  });
  return {
    pages: pagesOf(form, known).map((p) => ({ ...p, url: repaired(p.url) })),
    conditions,
    loads: form.loads,
    return_visits: form.again,
    steps: form.steps,
    no_bodies: !form.bodies,
    no_spans: !form.spans,
    private: form.hidden,
    longest_s: form.longest,
    blocked: form.blocked,
    access: {
      headers: form.headers,
      cookies: form.cookies,
      basic: form.basic,
      log_in_at: form.logInAt,
      log_in: form.logIn,
    },
  };
}

/** How many recordings and loads a form comes to, in words. */
export function sizeOf(form: Form): string {
  const pages = pagesOf(form).length;
  const recordings = pages * form.conditions.length;
  const loads = form.loads === 1 ? 'one load' : `${form.loads} loads`;
  return recordings > 1 ? `${recordings} recordings of ${loads}` : loads;
}

/** An address of the stand-in that asks for repairs. */
export function repaired(url: string, repairs: string[]): string {
  const [bare = '', query = ''] = url.split('?');
  const params = new URLSearchParams(query);
  params.set('fix', repairs.join(','));
  return `${bare}?${params.toString().replaceAll('%2C', ',')}`;
}
