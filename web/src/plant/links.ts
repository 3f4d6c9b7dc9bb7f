import type { PlantStore, Row } from './store.svelte';

/** Each signal's link that it is read by, or else the first it is written by; and how many more it has. */
export function linksOf(plant: PlantStore): Map<string, { link: Row<'links'>; more: number }> {
  const found = new Map<string, { link: Row<'links'>; more: number }>();
  for (const link of plant.list('links')) {
    const there = found.get(link.signal);
    if (!there) found.set(link.signal, { link, more: 0 });
    else {
      there.more++;
      if (link.access === 'reads' && there.link.access !== 'reads') there.link = link;
    }
  }
  return found;
}
