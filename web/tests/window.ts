import { vi } from 'vitest';

/** As much of a window as the modules under test touch. */
const kept = new Map<string, string>();
vi.stubGlobal('window', globalThis);
vi.stubGlobal('location', { origin: 'http://localhost', pathname: '/', search: '', hash: '' });
vi.stubGlobal('history', { pushState: () => {}, replaceState: () => {} });
vi.stubGlobal('localStorage', {
  getItem: (key: string) => kept.get(key) ?? null,
  setItem: (key: string, value: string) => kept.set(key, value),
});
vi.stubGlobal('addEventListener', () => {});
vi.stubGlobal('removeEventListener', () => {});
