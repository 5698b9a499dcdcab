import { expect, test, type Page } from '@playwright/test';
import { open } from './open';

const PLAN = '/sites/skerryline.test/plan';
const rows = (page: Page) => page.getByRole('row', { name: /^\d+\. / });
const titles = async (page: Page) => rows(page).evaluateAll((all) => all.map((r) => (r.getAttribute('aria-label') ?? '').replace(/^\d+\. /, '').replace(/, [a-z ]+$/, '')));

/** Lets only one page of the site count. */
async function only(page: Page, name: string) {
  await page.goto(PLAN);
  await page.getByText(/pages and conditions count/).click();
  const boxes = page.getByRole('checkbox', { name: /^(Booking|Crossing|Home|Timetable), / });
  await expect(boxes.first()).toBeVisible();
  for (const box of await boxes.all()) {
    const label = await box.evaluate((b) => b.closest('label')?.textContent ?? '');
    const wanted = label === name;
    if ((await box.isChecked()) !== wanted) {
      await box.click();
      await expect(box).toBeChecked({ checked: wanted });
    }
  }
  await expect(page.getByText(/^1 of \d+ pages and conditions count$/)).toBeVisible();
}

const of = '/api/sites/skerryline.test/plan';
let before: number[] = [];

test.beforeEach(async ({ request }) => {
  const plan = (await (await request.get(of)).json()) as { fixes: { id: number }[] };
  before = plan.fixes.map((f) => f.id);
});

// All pages count again, and what a test made is gone: other tests begin from the demo.
test.afterEach(async ({ page }) => {
  await page.goto(PLAN);
  await page.evaluate(
    async ({ of, before }) => {
      const send = (method: string, path: string, body?: unknown) => fetch(path, { method, headers: { 'content-type': 'application/json' }, body: body === undefined ? null : JSON.stringify(body) });
      const plan = await (await fetch(of)).json();
      for (const fix of plan.fixes) if (!before.includes(fix.id)) await send('DELETE', `${of}/fixes/${fix.id}`);
      await send('PUT', `${of}/order`, { ids: null });
      const { rows } = await (await fetch('/api/recordings?site=skerryline.test')).json();
      for (const r of rows) if (r.page === 'Proof') await send('DELETE', `/api/recordings/${r.id}`);
      for (const p of await (await fetch(`${of}/pages`)).json()) await send('PUT', `${of}/pages`, { page: p.page, conditions: p.conditions, share: null, left_out: false, recording: null });
      for (const { owner } of await (await fetch('/api/sites/skerryline.test/owner-notes')).json())
        await send('PUT', '/api/sites/skerryline.test/owner-notes', { owner, note: { need: 'unknown', holds_data: false, decides: '', note: '' } });
    },
    { of, before },
  );
});

test('the least effort is asked for, taken over, and one fix set aside changes the order', async ({ page }) => {
  test.setTimeout(120_000);
  await page.goto(PLAN);
  await expect(page.getByRole('heading', { level: 1 })).toContainText('skerryline.test');
  await only(page, 'Home, Phone on the move');
  await page.getByRole('button', { name: 'Least effort to reach the targets' }).click();
  const found = page.getByRole('region', { name: 'What was found' });
  await expect(found).toContainText(/fixes, \d+ points/, { timeout: 60_000 });
  await expect(found).toContainText(/sets, \d+ fixes/);
  await found.getByText(/fixes left out, and why/).click();
  await expect(found).toContainText('It changes later visits, which are not forecast.');
  const proposed = await found.getByRole('listitem').filter({ hasText: 'point' }).locator('span:nth-child(2)').allInnerTexts();
  await page.keyboard.press('t');
  await expect(page.getByRole('status').filter({ hasText: 'in the proposed order' })).toBeVisible();
  await expect.poll(async () => (await titles(page)).slice(0, proposed.length)).toEqual(proposed);
  await expect(page.getByRole('img', { name: /^LCP now .*; after 1: .*target/ })).toBeVisible();
  await expect(page.getByText('here LCP is within its target')).toBeVisible();

  // What a fix brings, after those above it, and what may break.
  const row = rows(page).filter({ hasText: /Put hero-marlin-bay\.jpg in the HTML/ });
  await row.focus();
  const margin = page.getByRole('complementary', { name: 'Margin' });
  await expect(margin).toContainText('Forecast, after the fixes above');
  await expect(margin.getByRole('table', { name: 'What it brings, by forecast' })).toContainText('LCP');
  const gain = async () => (await row.locator('td').nth(3).innerText()).split('\n')[0];
  const after = await gain();

  // Without the one above it, it brings something else.
  const first = proposed.find((t) => /hero-marlin-bay\.jpg at the size/.test(t)) ?? proposed[0] ?? '';
  await page.getByLabel(`State of: ${first}`).selectOption('set_aside');
  const dialog = page.getByRole('dialog', { name: 'Set aside, and why' });
  await dialog.getByLabel(/Reason/).fill('The photographer delivers new pictures in spring.');
  await dialog.getByRole('button', { name: 'Set it aside' }).click();
  await expect(page.getByRole('region', { name: 'Set aside' })).toContainText('because: The photographer');
  await expect.poll(gain).not.toBe(after);
  await expect.poll(async () => (await titles(page)).includes(first)).toBe(false);

  // Asked again, the search leaves it out.
  await page.getByRole('button', { name: 'Least effort to reach the targets' }).click();
  await expect(found).toContainText(/fixes, \d+ points/, { timeout: 60_000 });
  await expect(found.getByRole('listitem').filter({ hasText: first })).toHaveCount(0);
  await found.getByRole('button', { name: 'Put it away' }).click();
});

test('what is known of an owner shapes effort and risk, and a fix has who does it', async ({ page }) => {
  await page.goto(PLAN);
  await expect(page.getByRole('heading', { level: 1 })).toContainText('skerryline.test');
  const outside = page.getByRole('region', { name: 'Not in the plan yet' });
  await outside.getByPlaceholder('filter by words').fill('driftmetric delay');
  await expect(outside).toContainText('1 of 1 fix');
  await expect(outside.getByRole('row').nth(1)).toContainText(/LCP|TBT|ms|no change/);
  await outside.getByRole('button', { name: /^Add to the plan: Delay driftmetric\.test/ }).click();
  const row = rows(page).filter({ hasText: 'Delay driftmetric.test' });
  await expect(row).toContainText('ask first');
  await row.focus();
  const margin = page.getByRole('complementary', { name: 'Margin' });
  await margin.getByRole('button', { name: 'change' }).click();
  await margin.getByLabel('Is it needed?').selectOption('not_needed');
  await expect(row).toContainText('low');
  await expect(margin).toContainText('Nobody needs driftmetric.test.');
  await margin.getByLabel('Effort in points').fill('5');
  await margin.getByLabel('Who does it').fill('Tolly');
  await margin.getByLabel('Note').click();
  await expect(row).toContainText('5 points');
  await expect(row).toContainText('Tolly');
  // Each change says so when it is kept; the last one's undo is meant.
  await expect(page.getByRole('status').filter({ hasText: 'Kept.' })).toBeVisible();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(row).not.toContainText('Tolly');
  await margin.getByLabel('Is it needed?').selectOption('unknown');
  await expect(row).toContainText('ask first');
});

test('two unlike recordings get no verdict, and the same recording no difference', async ({ page }) => {
  const id = async (conditions: string) => /(\d+)/.exec(await open(page, 'Home', conditions))?.[1] ?? '';
  const [phone, laptop] = [await id('Phone on the move'), await id('Home laptop')];
  await page.goto(`/compare?a=${phone}&b=${laptop}`);
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Too unlike for a verdict');
  await expect(page.getByRole('note')).toContainText('They were made under different conditions: A as Phone on the move, B as Home laptop.');
  const metrics = page.getByRole('table', { name: 'Metrics of both' });
  await expect(metrics.getByRole('columnheader', { name: 'Verdict' })).toHaveCount(0);
  await expect(metrics.getByRole('row').nth(1)).toContainText('LCP');
  await page.goto(`/compare?a=${phone}&b=${phone}`);
  await expect(page.getByRole('heading', { level: 1 })).toContainText('can’t tell');
  await expect(metrics).not.toContainText(/better|worse/);
  await expect(page.getByRole('region', { name: 'Files' })).toContainText('none differs');
  await expect(page.getByText('what the page was before it changed cannot be recorded again')).toBeVisible();
  // A side is emptied and chosen again.
  await page.getByRole('region', { name: 'Side B' }).getByRole('button', { name: /^Take out of B/ }).click();
  await expect(page.getByText('Choose what is held against what')).toBeVisible();
});

test('fixes that were made are held against what was forecast, and both recordings against each other', async ({ page }) => {
  await page.goto(PLAN);
  const kept = page.getByRole('region', { name: 'Did they keep their word?' });
  const home = kept.getByRole('article').filter({ hasText: 'Home, Village line' });
  await expect(home).toContainText('Delay parleydock.test');
  // Tried on another recording, forecast and measured: three figures.
  await expect(rows(page).filter({ hasText: 'Delay parleydock.test' })).toContainText(/◐.*●/s);
  await expect(home.getByRole('row', { name: /^Weight/ })).toContainText('better');
  await expect(home.getByRole('row', { name: /^LCP/ })).toContainText('better');
  // What was not recorded since says so, and offers it.
  await expect(kept.getByRole('article').filter({ hasText: 'Home, Phone on the move' })).toContainText('Not recorded since it was made.');
  await home.getByRole('link', { name: 'Compare in full' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('The largest paint is better in B');
  const files = page.getByRole('region', { name: 'Files' });
  await expect(files.getByRole('row').filter({ hasText: 'advert.jpg' })).toContainText('gone');
  await expect(files.getByRole('row').filter({ hasText: 'advert-small.jpg' })).toContainText('new');
  await files.getByRole('button', { name: /gone/ }).click();
  await expect(files.getByRole('row').filter({ hasText: 'chat.js' })).toContainText('gone');
  const strips = page.getByRole('region', { name: 'Both loads on one time axis' });
  await expect(strips.getByRole('img', { name: /^The screen of B at/ })).toBeVisible();
  await strips.getByRole('slider', { name: 'Moment of both loads' }).press('Home');
  await expect(strips.getByText('at 0 ms')).toBeVisible();
  await strips.getByRole('slider', { name: 'Moment of both loads' }).press('End');
  await expect(strips.getByRole('img', { name: /^The screen of A at 7/ })).toBeVisible();
  await expect(page.getByRole('region', { name: 'Findings that went' })).toContainText('parleydock.test');
});

test('a fix that is made while the proofs are still on their way is among them', async ({ page }) => {
  // The first answer is taken before the change, and comes after it.
  let release = () => {};
  const changed = new Promise<void>((resolve) => (release = resolve));
  await page.route('**/plan/proofs', async (route) => {
    const response = await route.fetch();
    await changed;
    await route.fulfill({ response });
  }, { times: 1 });
  await page.goto(PLAN);
  const outside = page.getByRole('region', { name: 'Not in the plan yet' });
  const title = 'Put hero-marlin-bay.jpg in the HTML and fetch it first';
  await outside.getByRole('button', { name: `Add to the plan: ${title}` }).click();
  const kept = page.waitForResponse((answer) => answer.request().method() === 'PATCH');
  await page.getByLabel(`State of: ${title}`, { exact: true }).selectOption('done');
  await kept;
  release();
  await expect(page.getByRole('region', { name: 'Did they keep their word?' })).toContainText(title);
});

test('a repair is made true, recorded, and read against its forecast', async ({ page }) => {
  test.setTimeout(240_000);
  // A page of its own name, so that nothing of the demo is moved.
  const record = async (path: string) => {
    const answer = await page.evaluate(async (path) => {
      const request = { pages: [{ url: `http://www.skerryline.test/notices/winter-refit/${path}`, page: 'Proof' }], conditions: [{ preset: 'home-laptop', distance: 'same_city' }], loads: 4 };
      return (await fetch('/api/jobs', { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(request) })).status;
    }, path);
    expect(answer).toBe(200);
    await expect.poll(() => page.evaluate(async () => ((await (await fetch('/api/jobs')).json()) as unknown[]).length), { timeout: 100_000 }).toBe(0);
  };
  await page.goto(PLAN);
  await expect(page.getByRole('heading', { level: 1 })).toContainText('skerryline.test');
  await record('');
  const outside = page.getByRole('region', { name: 'Not in the plan yet' });
  await page.reload();
  await outside.getByPlaceholder('filter by words').fill('reelharbour delay');
  await outside.getByRole('button', { name: /^Add to the plan: Delay reelharbour\.test/ }).click();
  const state = page.getByLabel(/^State of: Delay reelharbour\.test/);
  await state.selectOption('done');
  const own = page.getByRole('region', { name: 'Did they keep their word?' }).getByRole('article').filter({ hasText: 'Proof, Home laptop' });
  await expect(own).toContainText('Not recorded since it was made.');
  await record('?fix=player-on-demand');
  await page.reload();
  const weight = own.getByRole('row', { name: /^Weight/ });
  await expect(weight).toContainText('better');
  // More of both, turn by turn, join their sides.
  await page.route('**/api/compare/more', async (route) => route.continue({ postData: JSON.stringify({ ...route.request().postDataJSON(), loads: 1 }) }));
  const plan = page.url();
  await own.getByRole('link', { name: 'Compare in full' }).click();
  await expect(page.getByText(/^4 loads of A.*4 loads of B/)).toBeVisible();
  await page.getByRole('button', { name: /^Record \d+ more of each, turn by turn$/ }).click();
  await expect(page.getByText(/^More loads are being made, turn by turn/)).toBeVisible();
  await expect(page.getByText(/^5 loads of A.*5 loads of B/)).toBeVisible({ timeout: 90_000 });
  await expect(page.getByRole('region', { name: 'Side B' }).getByRole('listitem')).toHaveCount(2);
  await page.goto(plan);
  // Forecast and measured stand beside each other, both lighter.
  await expect(weight.getByRole('cell').nth(1)).toContainText('−');
  await expect(weight.getByRole('cell').nth(2)).toContainText('−');
});

test('on the comparison the column at the left shows the page of what is compared', async ({ page }) => {
  const here = await open(page, 'Booking', 'Home laptop');
  await page.goto(`/compare?b=${here.split('/').at(-1)}`);
  const column = page.getByRole('navigation', { name: 'Site and recordings' });
  await expect(column.getByRole('heading', { name: 'Booking, Home laptop' })).toBeVisible();
  await column.getByRole('link', { name: /\d\d:\d\d/ }).first().click();
  await expect(page).toHaveURL(/recordings\/\d+\/glance$/);
});
