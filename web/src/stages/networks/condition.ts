import { isParked } from '../../plant/parked';
import type { PlantStore } from '../../plant/store.svelte';

export type Condition = 'error' | 'warning' | 'idle' | 'off' | 'good';

/** How a station fares: as it is on the bench while that runs, otherwise by what is wrong with it. */
export function condition(plant: PlantStore, id: string): Condition {
  if (isParked(plant.row('stations', id))) return 'off';
  const live = plant.bench.running
    ? plant.bench.state?.stations.find((s) => s.id === id)
    : undefined;
  if (live?.state === 'bad') return 'error';
  if (live?.state === 'good') return 'good';
  const found = plant.findingsAt([id]).map((f) => f.severity);
  return found.includes('error') ? 'error' : found.includes('warning') ? 'warning' : 'idle';
}
