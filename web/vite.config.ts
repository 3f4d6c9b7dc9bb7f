import { svelte } from '@sveltejs/vite-plugin-svelte';
import { defineConfig } from 'vite';

export default defineConfig({
  base: '/static/app/',
  plugins: [svelte()],
  build: {
    manifest: 'manifest.json',
    assetsInlineLimit: 0,
    target: 'es2022',
    rollupOptions: { input: 'src/main.ts' },
  },
});
