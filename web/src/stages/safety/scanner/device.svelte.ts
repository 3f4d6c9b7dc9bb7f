import { got, http, Problem, type Schemas } from '../../../api/client';
import { settled } from '../../../kit/settled';
import type { PlantStore } from '../../../plant/store.svelte';

export type DeviceOut = Schemas['DeviceOut'];
export type Doing = Schemas['DeviceIn']['do'];

/** What a scanner has in itself, told anew with every revision and after whatever was done to it. */
export class DeviceWork {
  told = $state.raw<DeviceOut | null>(null);
  problem = $state('');
  #done = $state(0);

  constructor(
    readonly plant: PlantStore,
    readonly scanner: () => string,
  ) {
    $effect(() => {
      void [this.plant.revision, this.#done];
      const scanner_id = this.scanner();
      if (!scanner_id) return;
      const path = { key: this.plant.key, scanner_id };
      return settled(async () => {
        const answer = await http.GET('/api/plants/{key}/scanners/{scanner_id}/device', {
          params: { path },
        });
        return () => (this.told = got(answer));
      });
    });
  }

  /** Done, or why not: a password is neither kept nor sent again. */
  async do(doing: Doing, password: string, anew: string): Promise<boolean> {
    this.problem = '';
    try {
      const params = { path: { key: this.plant.key, scanner_id: this.scanner() } };
      const url = '/api/plants/{key}/scanners/{scanner_id}/device';
      await this.plant.once(async (as) => {
        const body = { do: doing, password, new_password: anew, ...as };
        return got(await http.POST(url, { params, body }));
      });
      return true;
    } catch (refused) {
      this.problem = refused instanceof Problem ? refused.message : 'The server cannot be reached.';
      return false;
    } finally {
      this.#done += 1;
    }
  }
}
