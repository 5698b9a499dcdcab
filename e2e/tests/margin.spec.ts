import { expect, test, type Page } from '@playwright/test';
import type { LoadOverview, RequestRow } from '../../web/src/api/types';
import { bytes, CAUSES, ms, plural, WORK } from '../../web/src/parts/format';
import { ownerKey, shortName } from '../../web/src/parts/names';
import { open } from './open';

const margin = (page: Page) => page.getByRole('complementary', { name: 'Margin' });

/** Selects something by its address and gives what the margin then says. */
async function selected(page: Page, here: string, section: string, selection: string): Promise<string> {
  await page.goto(`${here}/${section}?${new URLSearchParams({ load: '1', sel: selection })}`);
  await expect(margin(page).getByRole('heading').first()).toBeVisible();
  await expect(margin(page)).not.toContainText('is not in this load');
  return (await margin(page).innerText()).replace(/\s+/g, ' ');
}

async function facts(page: Page, here: string): Promise<[LoadOverview, RequestRow[]]> {
  const of = `/api${here}/loads/1`;
  return Promise.all([
    page.request.get(of).then((a) => a.json() as Promise<LoadOverview>),
    page.request.get(`${of}/requests`).then((a) => a.json() as Promise<RequestRow[]>),
  ]);
}

test('every leg of the path is explained with its own figures', async ({ page }) => {
  const here = await open(page, 'Home', 'Home laptop');
  await page.goto(`${here}/path?load=1`);
  const [load] = await facts(page, here);
  const path = load.lcp?.path ?? [];
  expect(path.length).toBeGreaterThan(4);
  for (const [index, leg] of path.entries()) {
    await page.goto(`${here}/path?load=1&sel=leg:${index}`);
    await expect(margin(page).getByRole('heading').first()).toHaveText(leg.title);
    const text = (await margin(page).innerText()).replace(/\s+/g, ' ');
    for (const part of [leg.sentence, ms(leg.from_ms), ms(leg.to_ms), ms(leg.to_ms - leg.from_ms), CAUSES[leg.cause]]) expect(text).toContain(part);
    // What would shorten it is the finding that the load names, or nothing.
    const finding = load.findings.find((f) => f.key === load.lcp?.leg_findings[index]);
    expect(text).toContain(finding ? finding.fix.title : 'No check calls for a fix here.');
  }
});

test('every finding shows where it stands, its evidence, its fix and whose it is', async ({ page }) => {
  const here = await open(page, 'Timetable', 'Phone on the move');
  await page.goto(`${here}/findings?load=1`);
  const [load, rows] = await facts(page, here);
  expect(load.findings.length).toBeGreaterThan(5);
  for (const finding of load.findings) {
    await page.goto(`${here}/findings?${new URLSearchParams({ load: '1', sel: `finding:${finding.key}` })}`);
    await expect(margin(page).getByRole('heading').first()).toHaveText(finding.title);
    const text = (await margin(page).innerText()).replace(/\s+/g, ' ');
    expect(text).toContain(finding.why);
    expect(text).toContain(finding.fix.title);
    for (const evidence of finding.evidence) expect(text).toContain(evidence.value);
    if (finding.on_path) expect(text).toContain(`${ms(finding.on_path_ms)} of the path to the largest paint are about it`);
    else expect(text).toMatch(/Beside it:|Off it:/);
    const account = load.owners.find((o) => ownerKey(o) === ownerKey(finding.owner));
    expect(text).toContain(`${plural(account?.requests ?? 0, 'request')}, ${bytes(account?.transferred_bytes)}`);
  }
  // Evidence that is a request leads to it.
  const led = load.findings.find((f) => f.evidence.some((e) => e.request !== null));
  const evidence = led?.evidence.find((e) => e.request !== null);
  if (!led || !evidence) throw new Error('some finding points to a request');
  await page.goto(`${here}/findings?${new URLSearchParams({ load: '1', sel: `finding:${led.key}` })}`);
  await margin(page).getByRole('button', { name: evidence.value, exact: true }).first().click();
  await expect(page).toHaveURL(new RegExp(`sel=request%3A${evidence.request}`));
  await expect(margin(page).getByRole('heading').first()).toContainText(rows[evidence.request ?? 0]?.name ?? '');
});

test('every owner has its account, and its heaviest files lead on', async ({ page }) => {
  const here = await open(page, 'Home', 'Home laptop');
  await page.goto(`${here}/weight?load=1`);
  const [load, rows] = await facts(page, here);
  let requests = 0;
  for (const owner of load.owners) {
    requests += owner.requests;
    const text = await selected(page, here, 'weight', `owner:${ownerKey(owner)}`);
    expect(text).toContain(owner.name);
    expect(text).toContain(bytes(owner.transferred_bytes));
    expect(text).toContain(owner.main_thread_ms === null ? 'not known' : ms(owner.main_thread_ms));
    expect(text).toContain(owner.server_ms === null ? 'not told' : ms(owner.server_ms));
    const heaviest = rows
      .filter((r) => ownerKey(r.owner) === ownerKey(owner))
      .toSorted((a, b) => (b.transferred_bytes ?? 0) - (a.transferred_bytes ?? 0))[0];
    if (!heaviest) continue;
    await margin(page).getByRole('button', { name: new RegExp(`^${heaviest.name.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')} `) }).first().click();
    await expect(margin(page).getByRole('heading').first()).toContainText(heaviest.name);
  }
  expect(requests).toBe(rows.length);
});

test('long tasks and scripts say whose time they are', async ({ page }) => {
  const here = await open(page, 'Timetable', 'Phone on the move');
  await page.goto(`${here}/main-thread?load=1`);
  const [load] = await facts(page, here);
  const thread = load.main_thread;
  if (!thread) throw new Error('the demo has a main thread');
  for (const [index, task] of thread.long_tasks.entries()) {
    if (index >= 6) break;
    const text = await selected(page, here, 'main-thread', `task:${index}`);
    expect(text).toContain(task.url ? `A long task of ${shortName(task.url)}` : 'A long task of the page itself');
    for (const part of [ms(task.start_ms), ms(task.duration_ms), ms(task.blocking_ms), WORK[task.kind].words]) expect(text).toContain(part);
    for (const [owner, time] of task.shares) expect(text).toContain(`${owner.name} ${ms(time)}`);
    const shared = task.shares.reduce((sum, [, time]) => sum + time, 0);
    expect(Math.abs(shared - task.duration_ms)).toBeLessThan(1);
  }
  for (const script of thread.by_script.filter((s) => s.url !== null).slice(0, 5)) {
    const text = await selected(page, here, 'main-thread', `script:${script.url}`);
    expect(text).toContain(shortName(script.url ?? ''));
    expect(text).toContain(`together ${ms(script.total_ms)}`);
  }
});

test('without a selection the margin tells of the largest element, and leads to what it waited for', async ({ page }) => {
  const here = await open(page, 'Home', 'Home laptop');
  await page.goto(`${here}/requests?load=1`);
  const [load] = await facts(page, here);
  const lcp = load.lcp;
  if (!lcp) throw new Error('the demo has a largest element');
  await expect(margin(page)).toContainText(lcp.selector ?? lcp.tag ?? '');
  await expect(margin(page)).toContainText(ms(load.metrics.lcp_ms));
  const longest = lcp.path.toSorted((a, b) => b.to_ms - b.from_ms - (a.to_ms - a.from_ms))[0];
  if (!longest) throw new Error('its path has legs');
  await margin(page).getByRole('button', { name: longest.title }).first().click();
  await expect(margin(page).getByRole('heading').first()).toHaveText(longest.title);
  await page.keyboard.press('Escape');
  await expect(margin(page).getByRole('heading').first()).toHaveText('The largest element');
  await margin(page).getByRole('link', { name: /Follow the path/ }).click();
  await expect(page).toHaveURL(/\/path/);
});
