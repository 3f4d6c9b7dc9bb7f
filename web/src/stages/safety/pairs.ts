import type { PartResult } from '../../api/client';
import type { PlantStore } from '../../plant/store.svelte';
import { rootOf } from '../../plant/rails';

export type PairTold = PartResult<'module.pairs'>[number];
/** A pair with the module it is of, and what that is called. */
export type SafePair = { module: string; name: string; head: string; told: PairTold };

/** The pairs of all safe modules of a plant, in order. */
export function safePairs(plant: PlantStore): SafePair[] {
  return plant
    .list('modules')
    .filter((module) => plant.type(module.type)?.pairs)
    .flatMap((module) => {
      const name = module.designation || plant.type(module.type)?.name || module.type;
      const head = rootOf(plant, module.rail)?.name ?? '';
      return (plant.part('module.pairs', module.id) ?? []).map((told) => ({
        module: module.id,
        name,
        head,
        told,
      }));
    });
}
