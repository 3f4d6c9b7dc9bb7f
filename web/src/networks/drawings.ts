import type { Component } from 'svelte';
import type { PlantStore } from '../plant/store.svelte';

/** What a fieldbus draws of its own between time and exchanges; not every one has something to draw. */
export type Drawing = Component<{
  plant: PlantStore;
  network: string;
  controller: string;
  onchoose: (station: string) => void;
}>;

/** How its stations stand along the cable, where that is no comb and no plain line. */
export type Line = Component<{
  plant: PlantStore;
  network: string;
  chosen: string;
  onchoose: (station: string) => void;
}>;

/** What it shows of a chosen device, a station or a module that answers for itself. */
export type Detail = Component<{
  plant: PlantStore;
  network: string;
  row: string;
}>;

// A folder here bears the key of a fieldbus; to be drawn it need not be named anywhere.
const drawings = import.meta.glob<{ default: Drawing; drawsTime?: boolean }>('./*/Drawing.svelte', {
  eager: true,
});
const lines = import.meta.glob<{ default: Line }>('./*/Line.svelte', { eager: true });
const details = import.meta.glob<{ default: Detail }>('./*/Detail.svelte', { eager: true });

export function drawingOf(fieldbus: string | undefined): Drawing | undefined {
  return drawings[`./${fieldbus}/Drawing.svelte`]?.default;
}

/** Whether its own drawing shows the network in time, so that no other need. */
export function drawsTime(fieldbus: string | undefined): boolean {
  return drawings[`./${fieldbus}/Drawing.svelte`]?.drawsTime ?? false;
}

export function lineOf(fieldbus: string | undefined): Line | undefined {
  return lines[`./${fieldbus}/Line.svelte`]?.default;
}

export function detailOf(fieldbus: string | undefined): Detail | undefined {
  return details[`./${fieldbus}/Detail.svelte`]?.default;
}
