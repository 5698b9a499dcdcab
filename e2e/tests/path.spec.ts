import { expect, test } from '@playwright/test';
import type { Leg, Relief } from '../../web/src/api/types';
import { open } from './open';

test('a request is picked, and the path to its last byte followed', async ({ page }) => {
  const here = await open(page, 'Home', 'Phone on the move');
  await page.goto(`${here}/requests?load=1&filter=hero-marlin`);
  await page.getByRole('listbox', { name: /waterfall/ }).getByRole('option', { name: /hero-marlin-bay\.jpg/ }).first().click();
  const margin = page.getByRole('complementary', { name: 'Margin' });
  await margin.getByRole('link', { name: 'Follow the path to its last byte' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toContainText('Last byte of hero-marlin-bay.jpg at');
  const legs = page.getByRole('list', { name: /Legs of the path.*last byte of hero-marlin-bay\.jpg/ });
  await expect(legs.getByRole('button', { name: /hero-marlin-bay\.jpg downloads/ }).first()).toHaveAttribute('aria-pressed', 'true');
  // Its own scripts are causes as well: a leg that is about a file leads to that file.
  await legs.getByRole('button', { name: /slider\.js runs, then asks for hero-marlin-bay\.jpg/ }).click();
  await expect(margin.getByRole('heading').first()).toHaveText('slider.js');

  // Without gap or overlap, and the address opens the same path again.
  const id = /to=(request(?:%3A|:)\d+)/.exec(page.url())?.[1] ?? '';
  const told = (await (await page.request.get(`/api${here}/loads/1/path?to=${id}`)).json()) as Leg[];
  told.forEach((leg, at) => expect(leg.from_ms).toBe(at ? told[at - 1]?.to_ms : 0));
  await page.reload();
  await expect(legs.getByRole('button')).toHaveCount(told.length);

  // To the first paint, and back to the largest.
  await page.getByLabel('Path to').selectOption('first-paint');
  await expect(page.getByRole('heading', { level: 1 })).toContainText('First paint at');
  await page.getByLabel('Path to').selectOption('frame:1');
  await expect(page.getByRole('heading', { level: 1 })).toContainText('Frame at');
  await page.getByLabel('Path to').selectOption('');
  await expect(page.getByRole('heading', { level: 1 })).toContainText('Largest paint at');

  // A long wait that others would have in its place is said to be worth nothing alone.
  const waits = page.getByRole('button', { name: /^2\.\d+ s berths\.js waits its turn/ });
  await expect(waits).toContainText('There at once, it would bring next to nothing: vendor.js is waited for in its place.');
  await expect(page.getByRole('button', { name: /Server makes the page/ })).toContainText(/largest paint would come \d+ ms earlier/);
});

test('files beside the path that take its line are named, the one that is worth most first', async ({ page }) => {
  const here = await open(page, 'Home', 'Phone on the move');
  await page.goto(`${here}/path?load=1`);
  const beside = page.getByRole('region', { name: 'Beside the path, on its line' }).getByRole('button', { name: /\d ms / });
  await expect(beside.first()).toBeVisible();
  const told = (await (await page.request.get(`/api${here}/loads/1/reliefs`)).json()) as Relief[];
  const gains = told.filter((relief) => relief.helps === 'beside').map((relief) => relief.gain_ms);
  expect(gains.length).toBeGreaterThan(2);
  expect(gains).toEqual([...gains].sort((a, b) => b - a));
  await expect(beside).toHaveCount(gains.length);
  // No leg of the path is their download, and the margin tells more of one that is picked.
  const name = (await beside.first().locator('.font-semibold').textContent()) ?? '';
  await expect(page.getByRole('list', { name: /Legs of the path/ }).getByRole('button', { name: `${name} downloads` })).toHaveCount(0);
  await beside.first().click();
  await expect(page.getByRole('complementary', { name: 'Margin' }).getByRole('heading').first()).toHaveText(name);
});

test('a path to what never came says so', async ({ page }) => {
  const here = await open(page, 'Home', 'Home laptop');
  await page.goto(`${here}/path?load=1&to=request:99999`);
  await expect(page.getByRole('alert')).toContainText('This load has no such request.');
  await page.goto(`${here}/path?load=1&to=nowhere`);
  await expect(page.getByRole('alert')).toContainText('Say where the path is to lead');
});

test('what a file would bring at once and what it would bring to be without it stand below one leg', async ({ page }) => {
  const here = await open(page, 'Home', 'Phone on the move');
  const without = 'Without this sheet the largest paint would come 750 ms earlier: its text would be shown in another font.';
  // No page of the demo has its text wait for another's font.
  await page.route('**/reliefs', async (route) => {
    const told = (await (await route.fetch()).json()) as Relief[];
    const first = told.filter((relief) => relief.helps === 'at_once').slice(0, 1);
    await route.fulfill({ json: [...told, ...first.map((relief) => ({ ...relief, helps: 'off', sentence: without }))] });
  });
  await page.goto(`${here}/path?load=1`);
  const legs = page.getByRole('list', { name: /Legs of the path/ });
  const leg = legs.getByRole('button').filter({ hasText: without });
  await expect(leg).toHaveCount(1);
  await expect(leg).toContainText(/There at once, .*\. Without this sheet/);
});
