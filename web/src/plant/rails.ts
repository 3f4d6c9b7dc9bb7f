import type { PlantStore, Row } from './store.svelte';

export type Head = Row<'controllers'> | Row<'stations'> | Row<'modules'>;

/** What a rail hangs on: a controller, a station, or a module that carries others. */
export const headOf = (plant: PlantStore, rail: Row<'rails'> | undefined): Head | undefined =>
  plant.row('controllers', rail?.head) ??
  plant.row('stations', rail?.head) ??
  plant.row('modules', rail?.head);

/** What a rail hangs on in the end. */
export function rootOf(
  plant: PlantStore,
  rail: string | undefined,
): Row<'controllers'> | Row<'stations'> | undefined {
  const row = plant.row('rails', rail);
  const module = plant.row('modules', row?.head);
  if (module) return rootOf(plant, module.rail);
  return plant.row('controllers', row?.head) ?? plant.row('stations', row?.head);
}

/** What hangs on a port of an IO-Link master joins this, whatever its master is. */
export const IO_LINK_PORT = 'IO-Link port';

/** Whether a rail is the ports of an IO-Link master, and no backplane. */
export const isPorts = (rail: Row<'rails'> | undefined): boolean =>
  rail?.settings?.carries === IO_LINK_PORT;

/** All rails that hang on a head, each followed by those of its modules. */
export function railsBehind(plant: PlantStore, head: string): Row<'rails'>[] {
  return plant
    .list('rails', 'head', head)
    .flatMap((rail) => [
      rail,
      ...plant.list('modules', 'rail', rail.id).flatMap((module) => railsBehind(plant, module.id)),
    ]);
}

/** All modules that hang on a head's bus, in order. */
export const modulesBehind = (plant: PlantStore, head: string): Row<'modules'>[] =>
  plant
    .list('rails', 'head', head)
    .filter((rail) => !isPorts(rail))
    .flatMap((rail) => plant.list('modules', 'rail', rail.id))
    .flatMap((module) => [module, ...modulesBehind(plant, module.id)]);

/** The types that a rail takes: what its head's type says, on ports whatever joins one. */
export function modulesOn(plant: PlantStore, rail: string) {
  const row = plant.row('rails', rail);
  return isPorts(row)
    ? modulesFor(plant, '', IO_LINK_PORT)
    : modulesFor(plant, headOf(plant, row)?.type ?? '');
}

/** The modules that a head of a type takes: of its own file, of its internal bus, or the built-in ones. */
export function modulesFor(plant: PlantStore, head: string, takes = plant.type(head)?.takes ?? '') {
  return (plant.catalogue?.types ?? []).filter(
    (t) => ['module', 'feed-in', 'cover'].includes(t.kind) && t.joins === takes,
  );
}

/** What people call a head: its name, or a module's designation or type. */
export const headName = (plant: PlantStore, head: Head): string =>
  'name' in head ? head.name : head.designation || (plant.type(head.type)?.name ?? head.type);
