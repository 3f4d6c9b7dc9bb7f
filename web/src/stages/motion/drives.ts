import { controllerOf } from '../../plant/ports';
import type { PlantStore, Row } from '../../plant/store.svelte';

/** The stations of a controller's networks that turn no axis yet. */
export function freeDrives(plant: PlantStore, controller: string): Row<'stations'>[] {
  const taken = new Set(plant.list('axes').map((axis) => axis.drive));
  return plant.list('stations').filter((station) => {
    const port = plant.row('ports', plant.row('networks', station.network)?.port);
    const own = controllerOf(plant, port)?.id === controller;
    return own && !station.partner && !taken.has(station.id);
  });
}
