import { got, http, type Schemas } from '../../../api/client';
import { settled } from '../../../kit/settled';
import type { PlantStore } from '../../../plant/store.svelte';

export type SealOut = Schemas['SealOut'];
export type Line = SealOut['differences'][number];

/** The seal of a controller: what it covers, what is another since, told anew with every revision. */
export class SealWork {
  told = $state.raw<SealOut | null>(null);

  constructor(
    readonly plant: PlantStore,
    readonly controller: () => string,
  ) {
    $effect(() => {
      void this.plant.revision;
      const controller = this.controller();
      const path = { key: this.plant.key, controller };
      if (!controller) return;
      return settled(async () => {
        const answer = await http.GET('/api/plants/{key}/seals/{controller}', { params: { path } });
        return () => (this.told = got(answer));
      });
    });
  }

  /** The differences of a device. */
  lines(device: string): Line[] {
    return this.told?.differences.filter((line) => line.device === device) ?? [];
  }
}

/** As it is read aloud: 3F9C-71A0-… */
export function grouped(fingerprint: string, groups = 16): string {
  const parts = fingerprint.toUpperCase().match(/.{4}/g) ?? [];
  return parts.slice(0, groups).join('-') + (parts.length > groups ? '-…' : '');
}

/** A device by its natural path, without the word for what it is where its name says enough. */
export function called(device: string): string {
  return device.replace(/^controller /, '');
}
