<script lang="ts">
  import { untrack } from 'svelte';
  import { focused } from '../../kit/focus';
  import InlineForm from '../../kit/InlineForm.svelte';
  import { Making } from '../../kit/making.svelte';
  import type { PlantStore } from '../../plant/store.svelte';

  /** Data from one controller to another: who tells, who hears, who asks, over which fieldbus. */
  let { plant, onmade, oncancel }: { plant: PlantStore; onmade: () => void; oncancel: () => void } =
    $props();

  const controllers = $derived(plant.list('controllers'));
  const buses = $derived(plant.catalogue.fieldbuses.filter((bus) => bus.transfer_place));
  let from = $state(untrack(() => controllers[1]?.id ?? ''));
  let to = $state(untrack(() => controllers[0]?.id ?? ''));
  let asks = $state<'source' | 'destination'>('destination');
  let over = $state(untrack(() => buses[0]?.key ?? ''));
  let octets = $state('8');
  let place = $state('');
  let every = $state('');

  const name = (id: string) => plant.row('controllers', id)?.name ?? '';
  const placeWord = $derived(buses.find((bus) => bus.key === over)?.transfer_place ?? '');

  const making = new Making(
    untrack(() => plant),
    () => ({
      kind: 'add-transfer',
      source: from,
      destination: to,
      asks,
      fieldbus: over,
      octets,
      place,
      interval_ms: every.trim() || null,
    }),
  );

  function changed() {
    if (from !== to) making.changed('Add this transfer');
  }

  async function make() {
    if (await making.make(`Add a transfer ${name(from)} → ${name(to)}`)) onmade();
  }
</script>

<InlineForm
  make="Add it"
  problem={from === to ? 'A controller cannot send to itself.' : making.problem?.detail}
  onmake={make}
  onchange={changed}
  oncancel={() => making.leave(oncancel)}
>
  <label
    >From
    <select bind:value={from} use:focused>
      {#each controllers as c (c.id)}<option value={c.id}>{c.name}</option>{/each}
    </select></label
  >
  <label
    >To
    <select bind:value={to}>
      {#each controllers as c (c.id)}<option value={c.id}>{c.name}</option>{/each}
    </select></label
  >
  <label
    >Asked by
    <select bind:value={asks}>
      <option value="destination">{name(to)}, which reads</option>
      <option value="source">{name(from)}, which writes</option>
    </select></label
  >
  <label
    >Over
    <select bind:value={over}>
      {#each buses as bus (bus.key)}<option value={bus.key}>{bus.name}</option>{/each}
    </select></label
  >
  <label
    >Size <span class="entry"
      ><input class="mono" bind:value={octets} aria-label="Size" />
      <span class="unit">octets</span></span
    ></label
  >
  <label>{placeWord} <input class="mono" bind:value={place} placeholder="next free" /></label>
  <label
    >Every <span class="entry"
      ><input class="mono" bind:value={every} placeholder="usual" aria-label="Every" />
      <span class="unit">ms</span></span
    ></label
  >
</InlineForm>

<style>
  input {
    width: 88px;
    text-align: right;
  }
</style>
