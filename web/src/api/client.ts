/** A request that the server refused, with its own sentence. */
export class Refused extends Error {
  constructor(
    readonly status: number,
    detail: string,
  ) {
    super(detail);
  }
}

async function failure(answer: Response): Promise<Refused> {
  try {
    const problem: unknown = await answer.json();
    if (problem && typeof problem === 'object' && 'detail' in problem && typeof problem.detail === 'string') {
      return new Refused(answer.status, problem.detail);
    }
  } catch {
    // Not a problem document; the status has to do.
  }
  return new Refused(answer.status, `The server answered ${answer.status} ${answer.statusText}.`);
}

async function ask(path: string, init?: RequestInit): Promise<Response> {
  let answer: Response;
  try {
    answer = await fetch(`/api${path}`, init);
  } catch (error) {
    if (init?.signal?.aborted) throw error;
    throw new Refused(0, 'The server does not answer. It may have been stopped; nothing here was lost.');
  }
  if (!answer.ok) throw await failure(answer);
  return answer;
}

export async function get<T>(path: string): Promise<T> {
  return (await ask(path)).json() as Promise<T>;
}

/** Of what is sent on after a page has been left, browsers take 64 KiB in all (Fetch); a character has up to four bytes. */
const SENT_ON = 4_000;

export async function send<T = void>(
  method: 'POST' | 'PUT' | 'PATCH' | 'DELETE',
  path: string,
  body?: unknown,
  signal?: AbortSignal,
): Promise<T> {
  const init: RequestInit = { method, ...(signal ? { signal } : {}) };
  if (body instanceof FormData || body instanceof Blob) init.body = body;
  else if (body !== undefined) {
    const text = JSON.stringify(body);
    init.body = text;
    init.headers = { 'content-type': 'application/json' };
    // What is written just before the page is left arrives all the same.
    init.keepalive = text.length <= SENT_ON;
  }
  const answer = await ask(path, init);
  return (answer.status === 204 ? undefined : await answer.json()) as T;
}

export async function getBytes(path: string): Promise<ArrayBuffer> {
  return (await ask(path)).arrayBuffer();
}
