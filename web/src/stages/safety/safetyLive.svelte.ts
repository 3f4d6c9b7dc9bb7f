import { got, http, type Schemas } from '../../api/client';
import { Looked } from '../../kit/looked.svelte';
import type { PlantStore } from '../../plant/store.svelte';

export type SafetyDo = Schemas['SafetyDoIn']['do'];

const at = (plant: PlantStore, controller_id: string) => ({
  params: { path: { key: plant.key, controller_id } },
});

/** Something done by hand with a controller's safety on the bench, and how it is then. */
export async function doSafely(
  plant: PlantStore,
  controller: string,
  body: Schemas['SafetyDoIn'],
): Promise<Schemas['SafetyLiveOut']> {
  const of = at(plant, controller);
  return got(await http.POST('/api/plants/{key}/bench/safety/{controller_id}', { ...of, body }));
}

/** The safety of a controller on the bench as one who looks at it sees it. */
export class SafetyLive extends Looked<Schemas['SafetyLiveOut']> {
  readonly #plant: PlantStore;
  readonly #controller: string;

  constructor(plant: PlantStore, controller: string) {
    super(async () => {
      if (!plant.bench.running) throw new Error('There is nothing to look at.');
      const of = at(plant, controller);
      return got(await http.GET('/api/plants/{key}/bench/safety/{controller_id}', of));
    }, 200);
    this.#plant = plant;
    this.#controller = controller;
  }

  do(row: string, what: SafetyDo, value: Schemas['SafetyDoIn']['value'] = null): Promise<void> {
    return this.did(() => doSafely(this.#plant, this.#controller, { row, do: what, value }));
  }

  /** A test piece is held to a scanner's zone, place by place. */
  hold(row: string, tries: Schemas['TriesIn']): Promise<void> {
    return this.did(() => doSafely(this.#plant, this.#controller, { row, do: 'try', tries }));
  }
}
