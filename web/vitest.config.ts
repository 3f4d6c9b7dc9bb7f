import { svelte } from '@sveltejs/vite-plugin-svelte';
import { defineConfig } from 'vitest/config';

export default defineConfig({
  plugins: [svelte()],
  // Runes as the browser has them; what is drawn is looked at in a real one.
  resolve: { conditions: ['browser'] },
  test: { include: ['tests/**/*.test.ts'], environment: 'node', setupFiles: ['tests/window.ts'] },
});
