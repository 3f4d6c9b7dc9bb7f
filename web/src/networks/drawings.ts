import type { Component } from 'svelte';
import type { PlantStore } from '../plant/store.svelte';

/** What a fieldbus draws of its own between time and exchanges; not every one has something to draw. */
export type Drawing = Component<{
  plant: PlantStore;
  network: string;
  controller: string;
  onchoose: (station: string) => void;
}>;

// A folder here bears the key of a fieldbus; to be drawn it need not be named anywhere.
const found = import.meta.glob<{ default: Drawing }>('./*/Drawing.svelte', { eager: true });

export function drawingOf(fieldbus: string | undefined): Drawing | undefined {
  return found[`./${fieldbus}/Drawing.svelte`]?.default;
}
