import react from '@vitejs/plugin-react';
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join, relative } from 'node:path';
import { brotliCompressSync, constants } from 'node:zlib';
import { defineConfig, type Plugin } from 'vite';

/** Lists the packages that are in the console, for the licenses of a release. */
const packages: Plugin = {
  name: 'packages',
  generateBundle(_options, bundle) {
    const found = new Set<string>();
    for (const part of Object.values(bundle))
      for (const id of part.type === 'chunk' ? part.moduleIds : []) {
        const folder = /^.*node_modules\/(?:@[^/]+\/)?[^/]+/.exec(id.replace('\0', ''))?.[0];
        if (folder !== undefined) found.add(relative('../..', folder));
      }
    this.emitFile({ type: 'asset', fileName: '.packages.json', source: `${JSON.stringify([...found].sort(), null, 2)}\n` });
  },
};

/** Beside each script and style sheet, the same compressed (RFC 7932): the service sends it to browsers that take it. */
const compressed: Plugin = {
  name: 'compressed',
  writeBundle({ dir = '' }) {
    const assets = join(dir, 'assets');
    for (const name of readdirSync(assets)) {
      if (!/\.(?:js|css)$/.test(name)) continue;
      const params = { [constants.BROTLI_PARAM_QUALITY]: 9 };
      writeFileSync(join(assets, `${name}.br`), brotliCompressSync(readFileSync(join(assets, name)), { params }));
    }
  },
};

export default defineConfig({
  plugins: [react(), packages, compressed],
  // Fonts stay files of their own: the policy has no data: for them.
  build: { outDir: 'dist', assetsInlineLimit: 0, chunkSizeWarningLimit: 900, modulePreload: { polyfill: false } },
});
