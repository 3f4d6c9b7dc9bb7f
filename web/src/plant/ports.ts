import { modulesBehind, rootOf } from './rails';
import type { PlantStore, Row } from './store.svelte';

/** The controller a port belongs to: its own, or that of the rail its module is on. */
export function controllerOf(
  plant: PlantStore,
  port: Row<'ports'> | undefined,
): Row<'controllers'> | undefined {
  const module = plant.row('modules', port?.device);
  return plant.row(
    'controllers',
    module ? rootOf(plant, module.rail)?.id : (port?.device ?? undefined),
  );
}

/** The controller a module's data goes to: that of its rail, or the one that asks the rail's station. */
export function controllerOfModule(
  plant: PlantStore,
  module: string,
): Row<'controllers'> | undefined {
  const head = rootOf(plant, plant.row('modules', module)?.rail)?.id;
  const network = plant.row('networks', plant.row('stations', head)?.network);
  return plant.row('controllers', head) ?? controllerOf(plant, plant.row('ports', network?.port));
}

/** A port as people say it: the controller, the module between, its key. */
export function portLabel(plant: PlantStore, port: Row<'ports'>): string {
  const module = plant.row('modules', port.device);
  const between = module
    ? module.designation || (plant.type(module.type)?.name ?? module.type)
    : '';
  return [controllerOf(plant, port)?.name, between, port.key].filter(Boolean).join(' ');
}

/** The ports of a controller: its own, then those of the modules on its rails. */
export function portsOf(plant: PlantStore, controller: string): Row<'ports'>[] {
  return [controller, ...modulesBehind(plant, controller).map((m) => m.id)].flatMap((id) =>
    plant.list('ports', 'device', id),
  );
}

/** What its type says of a port; undefined where it has none by this key. */
export const portFacts = (plant: PlantStore, port: Row<'ports'>) => {
  const device = plant.row('modules', port.device) ?? plant.row('controllers', port.device);
  return plant.type(device?.type ?? '')?.ports.find((p) => p.key === port.key);
};
export const medium = (plant: PlantStore, port: Row<'ports'>): string =>
  portFacts(plant, port)?.medium ?? '';
