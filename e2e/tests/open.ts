import { expect, type Page } from '@playwright/test';

/** Opens a demo recording of a page under some conditions; gives the path of its sections. */
export async function open(page: Page, kind: string, conditions: string): Promise<string> {
  // The oldest of these: others may have been recorded meanwhile, and of a long list the last is not drawn.
  await page.goto(`/recordings?words=${encodeURIComponent(`${kind} ${conditions}`)}`);
  await page.getByRole('row', { name: new RegExp(`^${kind} .*${conditions}`) }).getByRole('link').last().click();
  await expect(page.getByRole('heading', { level: 1 })).toContainText('largest paint comes at');
  return new URL(page.url()).pathname.replace(/\/glance$/, '');
}

/** Opens the record dialog from the list of recordings. */
export async function askToRecord(page: Page) {
  await page.goto('/recordings');
  // Keys are heard once the screen stands.
  await expect(page.getByRole('heading', { level: 1 })).toBeVisible();
  await page.keyboard.press('r');
  return page.getByRole('dialog', { name: 'Record pages' });
}

/** The figure at the head of a text, as a number of milliseconds or bytes. */
export function amount(text: string): number {
  const found = /([\d.,]+)\s*(ms|s|MB|kB|B)\b/.exec(text);
  if (!found) throw new Error(`no figure in “${text}”`);
  const scale: Record<string, number> = { ms: 1, s: 1000, B: 1, kB: 1000, MB: 1_000_000 };
  return Number((found[1] ?? '').replaceAll(',', '')) * (scale[found[2] ?? ''] ?? 1);
}
