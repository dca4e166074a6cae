import react from '@vitejs/plugin-react';
import { relative } from 'node:path';
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

export default defineConfig({
  plugins: [react(), packages],
  // Fonts stay files of their own: the policy has no data: for them.
  build: { outDir: 'dist', assetsInlineLimit: 0, chunkSizeWarningLimit: 900, modulePreload: { polyfill: false } },
});
