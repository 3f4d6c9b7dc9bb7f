<script lang="ts">
  import type { PartResult } from '../../api/client';
  import type { PlantStore, Row } from '../../plant/store.svelte';
  import AddConnection from './AddConnection.svelte';
  import AddExchange from './AddExchange.svelte';
  import AddWatch from './AddWatch.svelte';
  import ExchangeDetail from './ExchangeDetail.svelte';
  import ExchangeTable from './ExchangeTable.svelte';
  import type { Line } from './lines';

  /** All exchanges of a network, what can be added to the station that is chosen, and the chosen exchange in full. */
  let {
    plant,
    network,
    controller,
    timing,
    lines,
    line,
    station,
    chosen,
    adding = $bindable(),
    onchoose: choose,
  }: {
    plant: PlantStore;
    network: Row<'networks'>;
    controller: Row<'controllers'> | undefined;
    timing: PartResult<'network.timing'> | undefined;
    lines: Line[];
    line: Line | undefined;
    station: Row<'stations'> | undefined;
    chosen: string;
    /** What an exchange is being added to: a connection, or a station that is given one. */
    adding: string | null;
    onchoose: (id: string) => void;
  } = $props();

  let watching = $state<string | null>(null);
  const bus = $derived(plant.catalogue.fieldbuses.find((b) => b.key === network.kind));
  // What a station can be given: exchanges one by one, or connections that come with theirs.
  const kinds = $derived(station ? (plant.part('station.kinds', station.id)?.kinds ?? []) : []);
  const agreed = $derived(
    line ? plant.part('connection.facts', line.exchange.connection) : undefined,
  );

  /** A part that the chosen connection lacks. */
  async function complete(offer: PartResult<'connection.facts'>['offers'][number]) {
    if (!line) return;
    const { name, settings } = offer;
    const connection = line.exchange.connection;
    const made = await plant
      .edit(
        { kind: 'add-exchange', connection, name, settings, tag: '$exchange' },
        `${offer.label}: ${line.station.name}`,
      )
      .catch(() => null);
    if (made?.tags['$exchange']) choose(made.tags['$exchange']);
  }

  async function takeMap() {
    if (!station) return;
    const label = `Take the register map of ${station.name}`;
    await plant
      .edit({ kind: 'take-map', station: station.id, period_ms: 500 }, label)
      .catch(() => {});
  }
</script>

<header class="row">
  <h2>Exchanges</h2>
  <span class="wide"></span>
  {#if plant.mayEdit && line && line.exchange.id === chosen && !adding}
    {#each agreed?.offers ?? [] as offer (offer.name)}
      <button onclick={() => complete(offer)}>{offer.label}</button>
    {/each}
  {/if}
  {#if plant.mayEdit && station && !adding && kinds.length}
    <button onclick={() => (adding = station.id)}>Add a connection to {station.name} …</button>
  {:else if plant.mayEdit && station && !adding}
    {#if plant.type(station.type)?.family === 'register-map'}
      <button onclick={takeMap}>Take over its register map</button>
    {/if}
    {#if Object.keys(bus?.watches ?? {}).length && !watching}
      <button
        onclick={() => (watching = plant.list('connections', 'station', station.id)[0]?.id ?? null)}
        >Watch whether it is alive …</button
      >
    {/if}
    {#if bus?.exchange_fields.length}
      <button
        onclick={() => (adding = plant.list('connections', 'station', station.id)[0]?.id ?? null)}
        >Add an exchange with {station.name} …</button
      >
    {/if}
  {/if}
</header>
{#if watching}
  <AddWatch
    {plant}
    connection={watching}
    watches={bus?.watches ?? {}}
    oncancel={() => (watching = null)}
    onmade={(id) => {
      watching = null;
      choose(id);
    }}
  />
{/if}
{#if adding && kinds.length && station}
  <AddConnection
    {plant}
    station={station.id}
    {kinds}
    oncancel={() => (adding = null)}
    onmade={(id) => {
      adding = null;
      const first = plant.list('exchanges', 'connection', id)[0];
      if (first) choose(first.id);
    }}
  />
{:else if adding}
  <AddExchange
    fields={bus?.exchange_fields ?? []}
    {plant}
    connection={adding}
    oncancel={() => (adding = null)}
    onmade={(id) => {
      adding = null;
      choose(id);
    }}
  />
{/if}
{#if lines.length}
  <ExchangeTable
    {plant}
    kind={network.kind}
    {lines}
    {timing}
    controller={controller?.name ?? '?'}
    chosen={line?.exchange.id ?? ''}
    onchoose={choose}
  />
  {#if line}<ExchangeDetail {plant} {line} {controller} />{/if}
{:else}
  <p class="quiet">Nothing is exchanged yet.</p>
{/if}
