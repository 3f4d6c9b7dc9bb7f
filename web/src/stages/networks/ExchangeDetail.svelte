<script lang="ts">
  import NameAll from '../../kit/NameAll.svelte';
  import Mark from '../../kit/Mark.svelte';
  import type { PlantStore, Row } from '../../plant/store.svelte';
  import ConnectionLines from './ConnectionLines.svelte';
  import FieldTable from './FieldTable.svelte';
  import FourOrders from './FourOrders.svelte';
  import type { Line } from './lines';
  import OctetMap from './OctetMap.svelte';

  /** One exchange in full: what was agreed, its octets with their fields, and what the bench carries in them. */
  let {
    plant,
    line,
    controller,
  }: { plant: PlantStore; line: Line; controller: Row<'controllers'> | undefined } = $props();

  const octets = $derived(plant.part('exchange.octets', line.exchange.id));
  const back = $derived(plant.part('exchange.back-octets', line.exchange.id));
  const ends = $derived([line.station.name, controller?.name ?? '?'] as const);
  const [from, to] = $derived(line.exchange.direction === 'in' ? ends : [ends[1], ends[0]]);
  const live = $derived(
    plant.bench.running
      ? plant.bench.state?.stations
          .flatMap((s) => s.exchanges)
          .find((x) => x.id === line.exchange.id)
      : undefined,
  );

  // Values of the exchange are followed; its state with its octets is asked for while it runs.
  $effect(() => {
    if (!plant.bench.running) return;
    const ids = [
      ...(octets?.pieces.flatMap((p) => p.signals) ?? []),
      ...(octets?.beside.flatMap((one) => one.signals) ?? []),
    ].map((s) => s.signal);
    plant.bench.follow(ids);
  });
  /** Values that the device's file names and that have no signal. */
  const unnamed = $derived(
    octets?.pieces.filter((piece) => piece.told && !piece.signals.length).length ?? 0,
  );

  $effect(() => (plant.bench.running ? plant.bench.watched() : undefined));
</script>

{#if octets}
  <ConnectionLines {plant} connection={line.exchange.connection} />
  <h2 class="gap">Octets of {line.station.name}, {line.exchange.name}</h2>
  <OctetMap
    {plant}
    {octets}
    exchange={line.exchange.id}
    {from}
    {to}
    data={live?.data ?? ''}
    onchoose={(_, signal) => signal && plant.select(signal)}
  />
  {#if live}
    {#if live.state === 'bad'}<p class="why">
        <Mark state="error" word={live.text} />
      </p>{/if}
    {#if live.request || live.state !== 'good'}
      <p class="frames mono"><span class="quiet">asked</span> {live.request || '–'}</p>
      <p class="frames mono"><span class="quiet">heard</span> {live.response || 'nothing'}</p>
    {/if}
  {/if}
  {#if plant.mayEdit && controller && unnamed > 1}
    <NameAll
      {plant}
      of={line.exchange.id}
      called="{line.station.name}, {line.exchange.name}"
      says="{unnamed} that its file names have no signal yet"
    />
  {/if}
  <FieldTable {plant} {octets} exchange={line.exchange.id} controller={controller?.id} />
  {#if back}
    <h2 class="gap">What goes back in the same transaction</h2>
    <OctetMap
      {plant}
      octets={back}
      exchange={line.exchange.id}
      back
      from={to}
      to={from}
      data=""
      onchoose={(_, signal) => signal && plant.select(signal)}
    />
    <FieldTable {plant} octets={back} exchange={line.exchange.id} controller={controller?.id} />
  {/if}
  <FourOrders {plant} {octets} data={live?.data ?? ''} />
{/if}

<style>
  .gap {
    margin: var(--s5) 0 var(--s3);
  }
  .why {
    margin: var(--s2) 0 var(--s1);
  }
  .frames {
    font-size: var(--f-small);
    overflow-wrap: anywhere;
    padding-left: 96px;
    text-indent: -48px;
    margin-top: var(--s1);
  }
</style>
