// What the benches of the screens share: a server with an empty data directory, files for it, and figures.
import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

export const root = join(import.meta.dirname, '..');
export const percentile = (values, p) => values.toSorted((a, b) => a - b)[Math.min(values.length - 1, Math.floor(values.length * p))];
export const ms = (value) => `${value.toFixed(1)} ms`;

/** A folder for data that is gone with the bench. */
export const folder = () => mkdtempSync(join(tmpdir(), 'phainon-bench-'));

/** Starts the server; it is ended, and its folder removed, by `stop`. */
export async function serving(data) {
  const server = spawn(join(root, 'target/debug/phainon'), ['serve', '--data', join(data, 'store'), '--port', '0'], { stdio: ['ignore', 'pipe', 'inherit'] });
  const address = await new Promise((resolve) => {
    let text = '';
    server.stdout.on('data', (part) => {
      text += part;
      const found = /http:\/\/[\d.:]+/.exec(text);
      if (found) resolve(found[0]);
    });
  });
  /** The ids of what a file becomes. */
  const taken = async (name, bytes) => {
    const form = new FormData();
    form.append('file', new Blob([bytes]), name);
    const answer = await fetch(`${address}/api/import`, { method: 'POST', body: form });
    const made = await answer.json();
    if (!answer.ok) throw new Error(made.detail);
    return made.ids;
  };
  const stop = () => {
    server.kill();
    rmSync(data, { recursive: true, force: true });
  };
  return { address, taken, stop };
}
