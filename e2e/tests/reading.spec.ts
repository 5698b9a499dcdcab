import { expect, test } from '@playwright/test';
import { readFile } from 'node:fs/promises';
import { amount, open } from './open';

test('glance: every figure says how it was come by, and leads on', async ({ page }) => {
  const here = await open(page, 'Home', 'Phone on the move');
  const main = page.getByRole('main');
  for (const [name, words] of [['LCP', /largest/i], ['TBT', /50 ms/], ['CLS', /window/i], ['Speed Index', /frames?/i]] as const) {
    // The row of a measure: its name, its figure, its ruler.
    const ruler = main.locator('.grid', { has: page.getByText(name, { exact: true }) });
    await ruler.getByRole('button').first().focus();
    await expect(page.getByRole('tooltip')).toContainText(words);
    await page.keyboard.press('Escape');
  }
  const weight = main.getByRole('region', { name: 'Weight' });
  await weight.getByRole('button', { name: /^islandmedia\.test/ }).click();
  const margin = page.getByRole('complementary', { name: 'Margin' });
  await expect(margin.getByRole('heading', { level: 2 })).toContainText('islandmedia.test');
  await expect(margin).toContainText(/third party/);
  // What is chosen here is marked in the waterfall too.
  await page.keyboard.press('3');
  await expect(page).toHaveURL(new RegExp(`${here}/requests\\?.*sel=owner`));
  await expect(margin.getByRole('heading', { level: 2 })).toContainText('islandmedia.test');
});

test('glance: one load or another is in hand, first visits and return visits', async ({ page }) => {
  await open(page, 'Home', 'Home laptop');
  const load = page.getByRole('region', { name: 'Load in hand' }).getByRole('combobox');
  const options = await load.locator('option').allInnerTexts();
  expect(options.length).toBe(6);
  expect(options.filter((o) => /return/.test(o)).length).toBe(3);
  const weight = page.getByRole('main').getByRole('region', { name: 'Weight' }).getByRole('button').first();
  const before = await weight.innerText();
  const again = options.find((o) => /return/.test(o)) ?? '';
  await load.selectOption({ label: again });
  await expect(page).toHaveURL(/load=\d/);
  await expect(weight).not.toHaveText(before);
  expect(amount(await weight.innerText())).toBeLessThan(amount(before) / 10);
  // The other visit's figures stand beside it, with a way to it.
  await expect(page.getByRole('region', { name: 'Load in hand' })).toContainText(/First visit/);
  await page.keyboard.press('2');
  await expect(page).toHaveURL(/path\?.*load=\d/);
});

test('findings: by owner, kind and group, with the evidence and the fix', async ({ page }) => {
  const here = await open(page, 'Home', 'Home laptop');
  await page.goto(`${here}/findings`);
  const body = page.getByRole('table').locator('tbody');
  await expect(body.getByRole('row').first()).toBeVisible();
  const all = await body.getByRole('row').count();
  await page.getByLabel('Owner').selectOption('islandmedia.test');
  await expect(page).toHaveURL(/owner=[^&]*islandmedia/);
  await expect.poll(() => body.getByRole('row').count()).toBeLessThan(all);
  await expect(body.getByRole('row').filter({ hasNotText: 'islandmedia.test' })).toHaveCount(0);
  await page.getByLabel('Owner').selectOption('');
  await page.getByLabel('Kind').selectOption({ label: 'script' });
  await expect(body.getByRole('row').filter({ hasNotText: 'js' })).toHaveCount(0);
  await expect(body.getByRole('row').first()).toBeVisible();
  await page.getByLabel('Kind').selectOption('');
  await expect(body.getByRole('row')).toHaveCount(all);

  // They come by what each brings to the largest paint, once that is computed.
  const brings = body.getByRole('row').locator('td:first-child strong');
  await expect.poll(() => brings.count()).toBeGreaterThan(2);
  const times = (await brings.allInnerTexts()).map(amount);
  expect(times).toEqual(times.toSorted((a, b) => b - a));

  await body.getByRole('button', { name: /^Largest picture found late/ }).click();
  const margin = page.getByRole('complementary', { name: 'Margin' });
  await expect(margin).toContainText('a script inserts it');
  await expect(margin).toContainText('slider.js');
  await page.keyboard.press('.');
  await expect(page.getByRole('status')).toContainText(/plan/i);
  await page.getByRole('link', { name: 'To the plan' }).click();
  const fix = page.getByRole('button', { name: /^Take out of the plan: Put hero-marlin-bay\.jpg/ });
  await fix.click();
  await expect(fix).toHaveCount(0);
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(fix).toHaveCount(1);
  await fix.click();
  await expect(fix).toHaveCount(0);
});

test('weight: each way of adding it up comes to the same', async ({ page }) => {
  const here = await open(page, 'Home', 'Home laptop');
  await page.goto(`${here}/weight`);
  const whole = amount(await page.getByRole('heading', { level: 1 }).innerText());
  for (const by of ['owner', 'domain', 'kind'] as const) {
    await page.getByRole('button', { name: `by ${by}` }).click();
    const strips = page.getByRole('region', { name: `Weight by ${by}` });
    await expect(strips).toBeVisible();
    const more = strips.getByRole('button', { name: /all/ });
    if (await more.count()) await more.first().click();
    const shares = (await strips.innerText()).matchAll(/([\d.]+) %/g);
    const sum = [...shares].reduce((all, share) => all + Number(share[1]), 0);
    expect(sum, by).toBeGreaterThan(99);
    expect(sum, by).toBeLessThan(101);
  }
  await page.getByRole('button', { name: 'unpacked' }).click();
  const unpacked = page.getByRole('region', { name: 'Weight by kind' });
  const first = amount((await unpacked.innerText()).replace(/^[a-z ]+/i, ''));
  expect(first).toBeGreaterThan(0);
  expect(whole).toBeGreaterThan(1_000_000);
});

test('main thread: the chart and the call tree without a mouse', async ({ page }) => {
  const here = await open(page, 'Timetable', 'Home laptop');
  await page.goto(`${here}/main-thread`);
  const chart = page.getByRole('application');
  await chart.focus();
  await page.keyboard.press('+');
  await expect(page).toHaveURL(/from=.*to=/);
  const span = () => {
    const params = new URL(page.url()).searchParams;
    return [Number(params.get('from')), Number(params.get('to'))] as const;
  };
  const [from, to] = span();
  await page.keyboard.press('ArrowRight');
  await expect.poll(() => span()[0]).toBeGreaterThan(from);
  expect(span()[1] - span()[0]).toBeCloseTo(to - from, 0);
  await page.keyboard.press('0');
  await expect(page).not.toHaveURL(/from=/);

  const functions = page.getByRole('region', { name: 'By function' });
  await functions.getByRole('button', { name: 'call tree' }).click();
  const tree = functions.getByRole('tree', { name: 'Call tree' });
  const folded = tree.getByRole('button', { name: /^Unfold/ }).first();
  const name = (await folded.getAttribute('aria-label')) ?? '';
  await folded.focus();
  await page.keyboard.press('Enter');
  const unfolded = tree.getByRole('button', { name: name.replace('Unfold', 'Fold'), exact: true }).first();
  await expect(unfolded).toBeVisible();
  await unfolded.press('Enter');
  await expect(tree.getByRole('button', { name, exact: true }).first()).toBeVisible();

  // A long task, and what it adds to TBT.
  const long = page.getByRole('region', { name: 'Long tasks' });
  await long.getByRole('row').nth(1).getByRole('button').click();
  await expect(page).toHaveURL(/sel=task/);
  await expect(page.getByRole('complementary', { name: 'Margin' })).toContainText(/TBT/);
});

test('what was recorded goes out in open formats', async ({ page }) => {
  await open(page, 'Crossing', 'Home laptop');
  const hand = page.getByRole('region', { name: 'Load in hand' });
  const [har] = await Promise.all([page.waitForEvent('download'), hand.getByRole('link', { name: 'HAR' }).click()]);
  expect(har.suggestedFilename()).toMatch(/\.har$/);
  const read = JSON.parse(await readFile(await har.path(), 'utf8')) as { log: { version: string; entries: { request: { url: string } }[] } };
  expect(read.log.version).toBe('1.2');
  expect(read.log.entries[0]?.request.url).toContain('/crossing/anvil-gull/');
  const [archive] = await Promise.all([page.waitForEvent('download'), hand.getByRole('link', { name: 'Archive' }).click()]);
  expect(archive.suggestedFilename()).toMatch(/\.phainon\.zip$/);
  expect((await readFile(await archive.path())).subarray(0, 2).toString()).toBe('PK');
});

test('recordings: found by words, opened without a mouse', async ({ page }) => {
  await page.goto('/recordings');
  const rows = page.getByRole('table', { name: 'Recordings' }).getByRole('rowgroup').getByRole('row');
  await expect(rows.first()).toBeVisible();
  const all = await rows.count();
  await page.keyboard.press('/');
  await page.keyboard.type('booking laptop');
  await expect.poll(() => rows.count()).toBeLessThan(all);
  await expect(rows).toHaveCount(1);
  await page.keyboard.press('Tab');
  await page.keyboard.press('j');
  await page.keyboard.press('Enter');
  await expect(page).toHaveURL(/\/recordings\/\d+\/glance/);
  await expect(page.getByRole('navigation', { name: 'Where you are' })).toContainText('Booking');
  // Back from anywhere by the name at the top.
  await page.getByRole('link', { name: 'Phainon: all recordings' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Recordings');
});

test('a recording opened while its list is still being filtered stays open', async ({ page }) => {
  // The screen that is opened comes late: until then the list is still there, and its filter about to
  // write its words into the address.
  let come = () => {};
  const late = new Promise<void>((resolve) => (come = resolve));
  await page.clock.install();
  await page.route('**/assets/RecordingFrame-*.js', async (route) => {
    await late;
    await route.continue();
  });
  await page.goto('/recordings');
  const rows = page.getByRole('table', { name: 'Recordings' }).getByRole('rowgroup').getByRole('row');
  await expect(rows.first()).toBeVisible();
  await page.keyboard.press('/');
  await page.keyboard.type('booking laptop');
  await expect(rows).toHaveCount(1);
  await rows.getByRole('link').press('Enter');
  await expect(page).toHaveURL(/\/recordings\/\d+\/glance/);
  await page.clock.runFor(1000);
  come();
  await expect(page.getByRole('navigation', { name: 'Where you are' })).toContainText('Booking');
  await expect(page).toHaveURL(/\/recordings\/\d+\/glance/);
});
