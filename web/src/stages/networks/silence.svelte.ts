import { got, http, type PartResult } from '../../api/client';
import { settled } from '../../kit/settled';
import { isParked } from '../../plant/parked';
import type { PlantStore, Row } from '../../plant/store.svelte';

type Course = PartResult<'network.course'>;

/** A network's time as it goes while one station does not answer, asked for when somebody wants to see it. */
export class Silence {
  wanted = $state(false);
  private told = $state.raw<{ station: string; timing: Course } | null>(null);

  constructor(
    private plant: () => PlantStore,
    private station: () => Row<'stations'> | undefined,
  ) {
    $effect(() => {
      const store = this.plant();
      void store.revision;
      const station = this.station();
      if (!this.wanted || !station || !this.askable) return;
      const id = station.id;
      const path = { params: { path: { key: store.key, station_id: id } } };
      return settled(async () => {
        const answer = got(await http.GET('/api/plants/{key}/silence/{station_id}', path));
        return () => (this.told = answer.result ? { station: id, timing: answer.result } : null);
      });
    });
  }

  /** Nobody asks a station that is switched off: it cannot be silent. */
  get askable(): boolean {
    const station = this.station();
    return station !== undefined && !isParked(station);
  }

  /** How it goes then; undefined while nobody wants to see it, or before it is told. */
  get course(): Course | undefined {
    const own = this.told?.station === this.station()?.id;
    return this.wanted && this.askable && own ? this.told?.timing : undefined;
  }
}
