import type { DeviceType, Schemas } from '../../api/client';
import type { PlantStore } from '../../plant/store.svelte';
import { router } from '../../shell/router.svelte';

/** Place a type where one came from, a rail, a module or a network, and go there. */
export async function placeType(plant: PlantStore, type: DeviceType, place: string): Promise<void> {
  const rail = plant.row('rails', place) ?? plant.row('rails', plant.row('modules', place)?.rail);
  const network = plant.row('networks', place);
  if (rail) {
    const before = plant.row('modules', place)?.id ?? null;
    const edit = {
      kind: 'insert-modules' as const,
      rail: rail.id,
      type: type.key,
      before,
      count: 1,
      tag: '$new',
      slot: null,
    };
    const onward = router.onward();
    const answer = await plant.edit(edit, `Insert ${type.name}`).catch(() => null);
    const made = answer?.tags['$new'];
    if (made) onward(`/p/${plant.key}/hardware/${rail.id}/${made}`);
  } else if (network) {
    // “CV-7 fan drive” goes by its first word; what is described in words alone by its order number.
    const first = type.name.split(' ')[0] ?? '';
    const edit = {
      kind: 'add-station' as const,
      network: network.id,
      type: type.key,
      name: /\d/.test(first) ? first : type.called,
      tag: '$new',
    };
    const onward = router.onward();
    const answer = await plant.edit(edit, `Add station ${type.name}`).catch(() => null);
    const made = answer?.tags['$new'];
    if (made) onward(`/p/${plant.key}/networks/${network.id}/${made}`);
  }
}

/** A station kept as a template, onto the network one came from. */
export async function placeTemplate(
  plant: PlantStore,
  template: Schemas['TemplateOut'],
  place: string,
): Promise<void> {
  const edit = {
    kind: 'paste' as const,
    clip: template.clip,
    into: place,
    before: null,
    slot: null,
  };
  const onward = router.onward();
  const answer = await plant.edit(edit, `Place ${template.name}`).catch(() => null);
  if (answer) onward(`/p/${plant.key}/networks/${place}`);
}
