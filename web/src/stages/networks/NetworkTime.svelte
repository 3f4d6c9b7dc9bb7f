<script lang="ts">
  import { got, http, type PartResult } from '../../api/client';
  import { shown } from '../../kit/numbers';
  import { settled } from '../../kit/settled';
  import type { PlantStore, Row } from '../../plant/store.svelte';
  import Ribbon from './Ribbon.svelte';

  /** Time on a network, with all stations alive or as it goes while the chosen one does not answer. */
  let {
    plant,
    timing,
    names,
    station,
    chosen,
    onchoose,
  }: {
    plant: PlantStore;
    timing: PartResult<'network.timing'>;
    names: Map<string, string>;
    station: Row<'stations'> | undefined;
    chosen: string;
    onchoose: (exchange: string) => void;
  } = $props();

  let wanted = $state(false);
  let without = $state.raw<{ station: string; timing: PartResult<'network.timing'> } | null>(null);

  $effect(() => {
    void plant.revision;
    if (!wanted || !station) return;
    const id = station.id;
    const path = { params: { path: { key: plant.key, station_id: id } } };
    return settled(async () => {
      const answer = got(await http.GET('/api/plants/{key}/silence/{station_id}', path));
      return () => (without = answer.result ? { station: id, timing: answer.result } : null);
    });
  });

  const drawn = $derived(wanted && without?.station === station?.id ? without?.timing : undefined);
  const own = $derived(
    new Set(
      plant
        .list('connections', 'station', station?.id)
        .flatMap((c) => plant.list('exchanges', 'connection', c.id).map((x) => x.id)),
    ),
  );
  // What the silence costs those that are alive.
  const latest = $derived(
    drawn?.exchanges
      .filter((e) => !own.has(e.exchange))
      .reduce(
        (most, e) => (e.worst_late_ms > (most?.worst_late_ms ?? -1) ? e : most),
        undefined as (typeof timing.exchanges)[number] | undefined,
      ),
  );
</script>

<Ribbon timing={drawn ?? timing} {names} {chosen} {onchoose}>
  {#snippet tools()}
    {#if drawn && latest}
      <span class="told"
        >{names.get(latest.exchange)}: {drawn.whole ? '' : '≥ '}{latest.worst_late_ms < 1
          ? `${shown(latest.worst_late_ms * 1000, 3)} µs`
          : `${shown(latest.worst_late_ms, 4)} ms`} late</span
      >
    {/if}
    {#if station}
      <button
        class="plain"
        aria-pressed={wanted}
        class:wanted
        title="The same time while {station.name} does not answer"
        onclick={() => (wanted = !wanted)}>{station.name} silent</button
      >
    {/if}
  {/snippet}
</Ribbon>

<style>
  .told {
    color: var(--bracken);
    font-size: 12.5px;
    white-space: nowrap;
  }
  button {
    white-space: nowrap;
  }
  .wanted {
    background: var(--bracken-tint);
    font-weight: 600;
  }
</style>
