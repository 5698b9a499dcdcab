import { expect, test } from '@playwright/test';
import type { FindingForecast, Foreseen } from '../../web/src/api/types';
import { open } from './open';

test('the ledger says what each fix brings, and the margin how sure that is', async ({ page }) => {
  const here = await open(page, 'Home', 'Phone on the move');
  await page.goto(`${here}/findings?load=1`);
  const rows = page.locator('tbody tr');
  const brings = rows.locator('td:first-child');
  await expect(brings.filter({ hasText: /^−/ }).first()).toBeVisible();
  // By what they bring: the first line is no smaller a gain than any below it.
  const told = (await (await page.request.get(`/api${here}/loads/1/forecasts`)).json()) as FindingForecast[];
  const gains = told.flatMap((f) => f.brings.filter((b) => b.metric === 'lcp').map((b) => b.before - b.after));
  const largest = Math.max(...gains);
  const seconds = largest < 999.5 ? `−${Math.round(largest)} ms` : `−${(largest / 1000).toFixed(2)} s`;
  await expect(brings.first()).toHaveText(seconds);
  // What is not known says why.
  const unknown = brings.filter({ hasText: 'not known' }).first();
  await expect(unknown.locator('span')).toHaveAttribute('title', /\.$/);
  await rows.first().getByRole('button').first().click();
  const margin = page.getByRole('complementary', { name: 'Margin' });
  const table = margin.getByRole('table', { name: 'What it brings, by forecast' });
  await expect(table.getByRole('row', { name: /^LCP/ })).toContainText(seconds);
});

test('an edit is switched on, and what moves is seen', async ({ page }) => {
  const here = await open(page, 'Home', 'Phone on the move');
  await page.goto(`${here}/requests?load=1`);
  await page.getByRole('button', { name: 'what if …' }).click();
  await page.getByRole('menuitemcheckbox', { name: /Delay.*parleydock/ }).first().click();
  await page.keyboard.press('Escape');
  await expect(page.getByRole('status').filter({ hasText: 'by forecast' })).toContainText('TBT −');
  const list = page.getByRole('listbox', { name: /waterfall/ });
  await expect(list.getByRole('option', { name: /chat\.js/ })).toContainText('by forecast not asked for');
  // The address opens it again, and it goes away as it came.
  await page.reload();
  await expect(list.getByRole('option', { name: /chat\.js/ })).toContainText('not asked for');
  await page.getByRole('button', { name: 'switch all off' }).click();
  await expect(list.getByRole('option', { name: /chat\.js/ })).not.toContainText('by forecast');
  expect(page.url()).not.toContain('if=');
});

test('a forecast of nothing known is left out with its reason', async ({ page }) => {
  const here = await open(page, 'Home', 'Phone on the move');
  const edits = [{ kind: 'subset_font', file: 'fonts.typequay.test/quay-400.woff2' }, { kind: 'remove', file: 'nowhere.test/x.js' }];
  const answer = await page.request.post(`/api${here}/loads/1/forecast`, { data: { edits } });
  const told = (await answer.json()) as Foreseen;
  expect(told.left_out.map((l) => l.why)).toEqual([
    'How small the font becomes is not known.',
    'The load has no request for nowhere.test/x.js.',
  ]);
  expect(told.moved).toEqual([]);
  const many = await page.request.post(`/api${here}/loads/1/forecast`, { data: { edits: Array(41).fill(edits[0]) } });
  expect(many.status()).toBe(400);
});

test('of a file without paints the weight alone is forecast, and that is said', async ({ page }) => {
  const here = await open(page, 'Home', 'Phone on the move');
  const har = await (await page.request.get(`/api${here}/loads/1/har`)).body();
  await page.goto('/');
  await page.locator('input[type=file]').setInputFiles({ name: 'no-paints.har', mimeType: 'application/json', buffer: har });
  await page.waitForURL(/recordings\/\d+/);
  const imported = new URL(page.url()).pathname.match(/\/recordings\/\d+/)?.[0] ?? '';
  await page.goto(`${imported}/requests?load=1`);
  await page.getByRole('button', { name: 'what if …' }).click();
  await page.getByRole('menuitemcheckbox', { name: 'Do without form-builder' }).click();
  await page.keyboard.press('Escape');
  const told = page.getByRole('status').filter({ hasText: 'by forecast' });
  await expect(told).toContainText('when it is painted is not told');
  await expect(told).not.toContainText('LCP');
});
