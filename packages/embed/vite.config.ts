import { defineConfig } from 'vite';

/** `embed.js` is all that a page loads before its button is pressed; the rest lies beside it in `embed/`. */
export default defineConfig({
  base: './',
  // What runs beside the microphone.
  worker: { rollupOptions: { output: { entryFileNames: 'embed/[name]-[hash].js' } } },
  build: {
    outDir: 'dist',
    emptyOutDir: true,
    assetsInlineLimit: 0,
    modulePreload: false,
    rollupOptions: {
      input: { embed: 'src/index.ts' },
      preserveEntrySignatures: 'strict',
      output: {
        entryFileNames: '[name].js',
        chunkFileNames: 'embed/[name]-[hash].js',
        assetFileNames: 'embed/[name]-[hash][extname]',
      },
    },
  },
});
