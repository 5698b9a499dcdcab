import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import tailwindcss from '@tailwindcss/vite';
import react from '@vitejs/plugin-react';
import { defineConfig, type Plugin } from 'vite';

/** Puts a gzip copy beside each script and style, which the server hands out to browsers that take it. */
function packed(): Plugin {
  return {
    name: 'packed',
    apply: 'build',
    closeBundle() {
      const folder = join(import.meta.dirname, 'dist/assets');
      for (const name of readdirSync(folder).filter((n) => /\.(js|css)$/.test(n))) {
        writeFileSync(join(folder, `${name}.gz`), gzipSync(readFileSync(join(folder, name)), { level: 9 }));
      }
    },
  };
}

export default defineConfig({
  plugins: [react(), tailwindcss(), packed()],
  build: { target: 'es2022', assetsInlineLimit: 0, chunkSizeWarningLimit: 700 },
  server: { proxy: { '/api': 'http://127.0.0.1:7460' } },
});
