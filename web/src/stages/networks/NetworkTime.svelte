<script lang="ts">
  import type { PartResult } from '../../api/client';
  import { shown } from '../../kit/numbers';
  import type { PlantStore, Row } from '../../plant/store.svelte';
  import Ribbon from './Ribbon.svelte';
  import { Silence } from './silence.svelte';

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
    timing: PartResult<'network.course'>;
    names: Map<string, string>;
    station: Row<'stations'> | undefined;
    chosen: string;
    onchoose: (exchange: string) => void;
  } = $props();

  const silence = new Silence(
    () => plant,
    () => station,
  );
  const drawn = $derived(silence.course);
  const own = $derived(
    new Set(
      plant
        .list('connections', 'station', station?.id)
        .flatMap((c) => plant.list('exchanges', 'connection', c.id).map((x) => x.id)),
    ),
  );
  /** A lateness as told: null is for ever. */
  function late(ms: number | null): number {
    return ms ?? Infinity;
  }
  // What the silence costs those that are alive: who gets latest by it.
  const cost = $derived.by(() => {
    if (!drawn) return '';
    const before = new Map(timing.exchanges.map((e) => [e.exchange, late(e.worst_late_ms)]));
    const later = drawn.exchanges
      .filter((e) => !own.has(e.exchange) && e.period_ms)
      .filter((e) => late(e.worst_late_ms) > (before.get(e.exchange) ?? 0) + 1e-6)
      .sort((a, b) => late(b.worst_late_ms) - late(a.worst_late_ms))[0];
    if (!later) return 'nobody else is later for it';
    const name = names.get(later.exchange);
    if (later.worst_late_ms == null) return `${name}: never asked again`;
    return `${name}: ${drawn.whole ? '' : '≥ '}${shown(later.worst_late_ms, 4)} ms late`;
  });
</script>

<Ribbon timing={drawn ?? timing} {names} {chosen} {onchoose}>
  {#snippet tools()}
    {#if cost}<span class="told">{cost}</span>{/if}
    {#if station && silence.askable}
      <button
        class="plain"
        aria-pressed={silence.wanted}
        class:wanted={silence.wanted}
        title="The same time while {station.name} does not answer"
        onclick={() => (silence.wanted = !silence.wanted)}>{station.name} silent</button
      >
    {/if}
  {/snippet}
</Ribbon>

<style>
  .told {
    color: var(--bracken);
    font-size: var(--f-note);
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
