import { got, http, type Schemas } from '../../api/client';
import { Looked } from '../../kit/looked.svelte';
import type { PlantStore } from '../../plant/store.svelte';

type Do = Schemas['RobotDoIn']['do'];

/** A robot on the bench as one who looks at it sees it. */
export class RobotLive extends Looked<Schemas['RobotLiveOut']> {
  readonly #at;

  constructor(plant: PlantStore, robot: string) {
    const at = { params: { path: { key: plant.key, robot_id: robot } } };
    super(async () => got(await http.GET('/api/plants/{key}/bench/robots/{robot_id}', at)));
    this.#at = at;
  }

  do(what: Do): Promise<void> {
    const asked = { ...this.#at, body: { do: what } };
    return this.did(async () =>
      got(await http.POST('/api/plants/{key}/bench/robots/{robot_id}', asked)),
    );
  }
}
