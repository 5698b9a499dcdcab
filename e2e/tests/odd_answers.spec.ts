import { expect, test, type Page, type Route } from '@playwright/test';
import type { Job, RecordingHead } from '../../web/src/api/types';
import { open } from './open';

const problem = (detail: string, status = 500) => ({ status, contentType: 'application/problem+json', body: JSON.stringify({ status, title: 'x', detail }) });
const answered = (value: unknown) => ({ contentType: 'application/json', body: JSON.stringify(value) });

/** Nothing on the screen is wider than the window. */
async function fits(page: Page) {
  const over = await page.evaluate(() => document.documentElement.scrollWidth - document.documentElement.clientWidth);
  expect(over).toBeLessThanOrEqual(0);
}

test('what the server refuses is said in its own words, and can be tried again', async ({ page }) => {
  let refuse = true;
  await page.route('**/api/recordings?*', (route) => (refuse ? route.fulfill(problem('The disk is full, and nothing was changed.')) : route.continue()));
  await page.goto('/recordings');
  const alert = page.getByRole('alert');
  await expect(alert).toContainText('The disk is full, and nothing was changed.');
  refuse = false;
  await alert.getByRole('button', { name: 'Try again' }).click();
  await expect(page.getByRole('table', { name: 'Recordings' })).toBeVisible();
  await expect(alert).toBeHidden();
});

test('a server that is gone, and an answer that is none, are told apart', async ({ page }) => {
  await page.route('**/api/recordings?*', (route) => route.abort('connectionrefused'));
  await page.goto('/recordings');
  await expect(page.getByRole('alert')).toContainText('The server does not answer. It may have been stopped; nothing here was lost.');
  await page.unroute('**/api/recordings?*');
  await page.route('**/api/recordings?*', (route) => route.fulfill({ status: 502, contentType: 'text/html', body: '<h1>Bad gateway</h1>' }));
  await page.reload();
  await expect(page.getByRole('alert')).toContainText('The server answered 502');
  await expect(page.getByRole('alert')).not.toContainText('<h1>');
});

test('a section that cannot be had leaves the others in reach', async ({ page }) => {
  const here = await open(page, 'Home', 'Home laptop');
  await page.route('**/functions*', (route) => route.fulfill(problem('The profile is damaged at byte 17.')));
  await page.route('**/tracks', (route) => route.fulfill(problem('The columns are damaged.')));
  await page.goto(`${here}/main-thread`);
  await expect(page.getByText('The profile is damaged at byte 17.')).toBeVisible();
  await expect(page.getByText('The columns are damaged.')).toBeVisible();
  // The tables of the same screen need neither.
  await expect(page.getByRole('region', { name: 'By script' })).toContainText('.js');
  await page.getByRole('navigation', { name: 'Sections' }).getByRole('link', { name: /Weight/ }).click();
  await expect(page.getByRole('heading', { level: 1 })).toBeVisible();
});

test('a change that is refused is not shown as done', async ({ page }) => {
  await page.route('**/api/recordings/*', (route: Route) =>
    route.request().method() === 'DELETE' ? route.fulfill(problem('Somebody else is writing; try again in a moment.', 503)) : route.continue(),
  );
  await page.goto('/recordings');
  const rows = page.getByRole('table', { name: 'Recordings' }).getByRole('row');
  await expect(rows.nth(3)).toBeVisible();
  const before = await rows.count();
  await rows.nth(1).getByRole('button', { name: /^Delete the recording/ }).click();
  await expect(page.getByText('Somebody else is writing; try again in a moment.')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Undo' })).toBeHidden();
  expect(await rows.count()).toBe(before);
});

test('reading older recordings anew shows how far it is, and the list follows', async ({ page }) => {
  let done = 12;
  let lists = 0;
  await page.route('**/api/rereading', (route) => route.fulfill(answered({ done, of: 50 })));
  await page.route('**/api/recordings?*', (route) => {
    lists += 1;
    return route.continue();
  });
  await page.goto('/recordings');
  const progress = page.getByRole('navigation', { name: 'Site and recordings' }).getByRole('status');
  await expect(progress).toContainText('Reading recordings anew for this version: 12 of 50 loads');
  const before = lists;
  done = 31;
  await expect(progress).toContainText('31 of 50');
  await expect.poll(() => lists).toBeGreaterThan(before);
  done = 50;
  await expect(progress).toBeHidden();
});

function row(id: number, more: Partial<RecordingHead> = {}): RecordingHead {
  return {
    id, site: 'skerryline.test', page: `Page ${id}`, url: `http://www.skerryline.test/page-${id}`, source: 'har', conditions: null, browser: null,
    recorded_at: '2026-11-24T09:14:00Z', imported_from: 'x.har', summary: null, loads: [{ number: 1, visit: 'first', failed: null, has_data: true }],
    wanted_loads: null, ended: 'done', blocked: [], machine: null, thinned_at: null,
    trial_of: null, ...more,
  };
}

/** A list of many recordings, handed out as the server does. */
async function many(page: Page, all: RecordingHead[]) {
  await page.route('**/api/recordings?*', (route) => {
    const asked = new URL(route.request().url()).searchParams;
    const words = (asked.get('q') ?? '').split(' ').filter(Boolean);
    const found = all.filter((r) => words.every((w) => `${r.page} ${r.url}`.toLowerCase().includes(w.toLowerCase())));
    const from = Number(asked.get('offset') ?? 0);
    return route.fulfill(answered({ rows: found.slice(from, from + Number(asked.get('limit') ?? 200)), matching: found.length, all: all.length }));
  });
}

test('thousands of recordings are scrolled and filtered without drawing them all', async ({ page }) => {
  await many(page, Array.from({ length: 2_000 }, (_, i) => row(i + 1)));
  await page.goto('/recordings');
  await expect(page.getByText('2,000 of 2,000 recordings')).toBeVisible();
  const links = page.getByRole('table', { name: 'Recordings' }).getByRole('link');
  expect(await links.count()).toBeLessThan(60);
  // The End of the list comes by scrolling on, a page after the other.
  await page.mouse.move(700, 500);
  await expect(async () => {
    await page.mouse.wheel(0, 60_000);
    await expect(page.getByRole('link', { name: 'Page 2000', exact: true })).toBeVisible({ timeout: 300 });
  }).toPass();
  expect(await links.count()).toBeLessThan(60);

  await page.getByLabel('Filter recordings').fill('page-77');
  await expect(page.getByText('11 of 2,000 recordings')).toBeVisible();
  await expect(page).toHaveURL(/words=page-77/);
  // The address holds the filter, for a reload and for whoever gets the link.
  await page.reload();
  await expect(page.getByLabel('Filter recordings')).toHaveValue('page-77');
  await expect(page.getByText('11 of 2,000 recordings')).toBeVisible();
  await page.getByLabel('Filter recordings').fill('nowhere');
  await expect(page.getByText('No recording has all of these words.')).toBeVisible();
});

test('names of any length widen no screen', async ({ page }) => {
  const long = 'Übersichtsseitemitsehrlangemnamenohneleerzeichen'.repeat(8);
  const failed = { number: 1, visit: 'first' as const, failed: 'x'.repeat(300), has_data: false };
  await many(page, [
    row(1, { page: long, url: `http://${'a'.repeat(60)}.test/${'b'.repeat(900)}`, blocked: [`${'c'.repeat(200)}.test`], conditions: { name: long } as RecordingHead['conditions'], source: 'recording' }),
    row(2, { loads: [failed], ended: 'broken_off', wanted_loads: 20 }),
  ]);
  await page.goto('/recordings');
  await expect(page.getByRole('link', { name: long })).toBeVisible();
  await expect(page.getByText('broken off')).toBeVisible();
  await fits(page);
});

function job(id: number, more: Partial<Job> = {}): Job {
  return {
    id, batch: 7,
    source: 'recording', trial_of: null, state: 'running', url: 'http://www.skerryline.test/', page: 'Home', load: 2, of: 3, visit: 'return', stage: 'loading', requests: 17, frame: 0,
    kept: 1, recording: null, error: null,
    conditions: { name: 'Phone on the move', width: 360, height: 800, pixel_ratio: 3, mobile: true, cpu_slowdown: 4, round_trip_ms: 120, down_bits: 4e6, up_bits: 1e6, distance: 'same_city' } as Job['conditions'],
    ...more,
  };
}

/** What is told of a batch, once; then the line breaks. */
const told = (page: Page, jobs: Job[]) =>
  page.route('**/api/batches/7/events', (route) => route.fulfill({ contentType: 'text/event-stream', body: `retry: 60000\ndata: ${JSON.stringify(jobs)}\n\n` }));

test('a recording under way shows its step, and says when nothing more is heard of it', async ({ page }) => {
  await told(page, [job(1), job(2, { state: 'queued', page: 'Log' }), job(3, { state: 'failed', error: 'The host was not found.' })]);
  await page.goto('/jobs/7');
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Recording: 1 of 3 done');
  await expect(page.getByText('Load 2 of 3, return visit')).toBeVisible();
  await expect(page.getByRole('listitem').and(page.locator('[aria-current=step]'))).toContainText('Loading, 17 requests');
  await expect(page.getByRole('row', { name: /failed/ })).toContainText('The host was not found.');
  await expect(page.getByText('The server does not answer at the moment; trying again.')).toBeVisible();
  const ended: string[] = [];
  await page.route('**/api/jobs/*', (route) => {
    ended.push(`${route.request().method()} ${new URL(route.request().url()).pathname}`);
    return route.fulfill({ status: 204 });
  });
  await page.getByRole('button', { name: 'Cancel all 2' }).click();
  await expect.poll(() => ended.toSorted()).toEqual(['DELETE /api/jobs/1', 'DELETE /api/jobs/2']);
});

test('a recording that failed or was cancelled says what is kept of it', async ({ page }) => {
  await told(page, [job(1, { state: 'failed', stage: null, recording: 5, kept: 2, error: 'The browser died.' })]);
  await page.goto('/jobs/7');
  await expect(page.getByRole('alert')).toHaveText('The browser died. 2 loads made before that are kept.');
  await expect(page.getByRole('link', { name: 'Open what is kept' })).toHaveAttribute('href', '/recordings/5/glance');

  await page.unroute('**/api/batches/7/events');
  await told(page, [job(1, { state: 'cancelled', stage: null, kept: 0 })]);
  await page.reload();
  await expect(page.getByText('No load had been made by then, so nothing is kept.')).toBeVisible();
  await expect(page.getByRole('link', { name: 'Open what is kept' })).toBeHidden();
});

test('files that cannot be read leave a sentence, and the list as it was', async ({ page }) => {
  await page.goto('/recordings');
  const rows = page.getByRole('table', { name: 'Recordings' }).getByRole('row');
  await expect(rows.nth(2)).toBeVisible();
  const before = await rows.count();
  const give = (name: string, text: string) => page.getByLabel('File to import').setInputFiles({ name, mimeType: 'application/json', buffer: Buffer.from(text) });
  await give('half.har', '{"log":{"entries":[{"request":');
  await expect(page.getByText(/half\.har is cut off: the JSON ends too early, at line 1, column \d+\./)).toBeVisible();
  await page.getByRole('button', { name: 'Close this notice' }).click();
  await give('page.html', '<!doctype html>');
  await expect(page.getByText('page.html is neither a recording archive (zip), nor a HAR, nor a trace')).toBeVisible();
  await page.getByRole('button', { name: 'Close this notice' }).click();
  await give('trace.json', '[{"name":"navigationStart","ts":1,"args":{"frame":"F","data":{"documentLoaderURL":"http://a.test/","isOutermostMainFrame":true}}},\n{"name" "x"}]');
  await expect(page.getByText('trace.json is not valid JSON at line 2')).toBeVisible();
  expect(await rows.count()).toBe(before);
});

test('the record dialog offers the stand-in’s page, however late that is known, and never over what was typed', async ({ page }) => {
  let late: () => void = () => undefined;
  const until = new Promise<void>((done) => (late = done));
  await page.route('**/api/about', async (route) => {
    await until;
    await route.continue();
  });
  await page.goto('/recordings');
  await expect(page.getByRole('table', { name: 'Recordings' })).toBeVisible();
  await page.keyboard.press('r');
  const address = page.getByRole('dialog', { name: 'Record pages' }).getByLabel('Address, one a line');
  await expect(address).toHaveValue('');
  late();
  await expect(address).toHaveValue('http://www.skerryline.test/');
  await address.fill('http://pier.test/');
  await page.keyboard.press('Escape');
  await page.keyboard.press('r');
  await expect(address).toHaveValue('http://pier.test/');
});

test('words of any length widen no screen', async ({ page }) => {
  const long = 'W'.repeat(2_000);
  const widened = (r: RecordingHead): RecordingHead => ({
    ...r, page: long, url: `http://${'a'.repeat(60)}.test/${long}`, browser: long, blocked: [long, long],
    conditions: r.conditions && { ...r.conditions, name: long },
  });
  const { rows } = (await (await page.request.get('/api/recordings?limit=1')).json()) as { rows: RecordingHead[] };
  const id = rows[0]?.id;
  await page.route('**/api/recordings?*', async (route) => {
    const told = (await (await route.fetch()).json()) as { rows: RecordingHead[] };
    return route.fulfill(answered({ ...told, rows: told.rows.map(widened) }));
  });
  await page.route(`**/api/recordings/${id}`, async (route) =>
    route.fulfill(answered(widened((await (await route.fetch()).json()) as RecordingHead))),
  );
  await page.goto('/recordings');
  await expect(page.getByRole('table', { name: 'Recordings' }).getByRole('link').first()).toBeVisible();
  await fits(page);
  for (const section of ['glance', 'path', 'requests', 'frames', 'main-thread', 'weight', 'document', 'findings', 'trials']) {
    await page.goto(`/recordings/${id}/${section}`);
    await expect(page.getByText(/^Recorded without W/)).toBeVisible();
    await fits(page);
  }
});
