<script lang="ts">
  import { untrack } from 'svelte';
  import Empty from '../../kit/Empty.svelte';
  import Mark from '../../kit/Mark.svelte';
  import { detailOf, drawingOf, drawsTime, lineOf } from '../../networks/drawings';
  import { controllerOf } from '../../plant/ports';
  import { isPorts, railsBehind, rootOf } from '../../plant/rails';
  import type { PlantStore } from '../../plant/store.svelte';
  import { router } from '../../shell/router.svelte';
  import AddNetwork from './AddNetwork.svelte';
  import AddStation from './AddStation.svelte';
  import Comb from './Comb.svelte';
  import DeviceParameters from './DeviceParameters.svelte';
  import Exchanges from './Exchanges.svelte';
  import Figures from './Figures.svelte';
  import { linesOf } from './lines';
  import MasterPorts from './ports/MasterPorts.svelte';
  import NetworkTime from './NetworkTime.svelte';
  import Route from './Route.svelte';

  let { plant, networkId, chosen }: { plant: PlantStore; networkId: string; chosen: string } =
    $props();

  let adding = $state<string | null>(null);
  let founding = $state(false);
  let settling = $state(false);
  const networks = $derived(plant.list('networks'));
  const network = $derived(plant.row('networks', networkId) ?? networks[0]);
  const Drawing = $derived(drawingOf(network?.kind));
  const Detail = $derived(detailOf(network?.kind));
  const OwnLine = $derived(lineOf(network?.kind));
  const bus = $derived(plant.catalogue.fieldbuses.find((b) => b.key === network?.kind));
  const port = $derived(plant.row('ports', network?.port));
  const controller = $derived(controllerOf(plant, port));
  const timing = $derived(network ? plant.part('network.timing', network.id) : undefined);
  const course = $derived(network ? plant.part('network.course', network.id) : undefined);
  const stations = $derived(network ? plant.list('stations', 'network', network.id) : []);
  const lines = $derived(linesOf(plant, stations));
  const names = $derived(
    new Map(
      lines.map(({ station, exchange }) => [exchange.id, `${station.name}, ${exchange.name}`]),
    ),
  );
  // A module that answers for itself is chosen with its station.
  const onRail = $derived.by(() => {
    const module = plant.row('modules', chosen);
    return module && plant.row('stations', rootOf(plant, module.rail)?.id);
  });
  const line = $derived(
    lines.find((l) => l.exchange.id === chosen) ??
      lines.find((l) => l.station.id === (onRail?.id ?? chosen)) ??
      lines[0],
  );
  const station = $derived(plant.row('stations', chosen) ?? onRail ?? line?.station);
  const masters = $derived(station ? railsBehind(plant, station.id).filter(isPorts) : []);
  const agreed = $derived(
    line ? plant.part('connection.facts', line.exchange.connection) : undefined,
  );

  $effect(() => {
    const id = chosen;
    void network?.id;
    untrack(() => plant.select(...(id ? [id] : network ? [network.id] : [])));
  });

  const open = (id: string, object = '') =>
    router.go(`/p/${plant.key}/networks/${id}${object ? `/${object}` : ''}`, {
      replace: object !== '',
    });
  const choose = (id: string) => network && open(network.id, id);

  function arrived(made: string, connection: string | null) {
    if (!network) return;
    settling = false;
    open(network.id, made);
    adding = bus?.exchange_fields.length ? connection : null;
  }

  async function remove() {
    const exchange = plant.row('exchanges', chosen);
    if (exchange && !agreed) return;
    const ring = plant.row('closing_cables', chosen) && 'the cable that closes a ring';
    const label = exchange?.name ?? plant.row('stations', chosen)?.name ?? ring;
    if (!label || !network) return;
    const what = exchange && !agreed?.apart ? `a connection of ${station?.name}` : label;
    await plant.edit({ kind: 'remove', ids: [chosen] }, `Remove ${what}`).catch(() => {});
    open(network.id);
  }

  function key(event: KeyboardEvent) {
    if ((event.target as HTMLElement).matches('input, select, textarea') || event.ctrlKey) return;
    if (event.key === 'Delete' && plant.mayEdit) void remove();
    else if (event.altKey && event.key.startsWith('Arrow') && plant.mayEdit && station) {
      const n = stations.findIndex((s) => s.id === station.id);
      const to = event.key === 'ArrowRight' ? n + 2 : n - 1;
      if (to >= 0 && to <= stations.length) void place(station.id, stations[to]?.id ?? null);
    } else if (event.key === 'ArrowRight' || event.key === 'ArrowLeft') {
      const n =
        stations.findIndex((s) => s.id === station?.id) + (event.key === 'ArrowRight' ? 1 : -1);
      if (stations[n]) choose(stations[n].id);
    } else return;
    event.preventDefault();
  }

  async function place(id: string, before: string | null) {
    const name = plant.row('stations', id)?.name ?? '';
    const where = before ? `before ${plant.row('stations', before)?.name}` : 'to the end';
    await plant
      .edit({ kind: 'move-stations', ids: [id], before }, `Move ${name} ${where}`)
      .catch(() => {});
  }

  async function hang(id: string, upstream: string | null) {
    const from = upstream ? plant.row('stations', upstream)?.name : 'the port';
    const label = `Take the cable of ${plant.row('stations', id)?.name} from ${from}`;
    await plant.edit({ kind: 'set', ids: [id], values: { upstream } }, label).catch(() => {});
  }
</script>

<svelte:window onkeydown={key} />

{#snippet found()}
  {#if founding}
    <AddNetwork
      {plant}
      oncancel={() => (founding = false)}
      onmade={(id) => {
        founding = false;
        open(id);
      }}
    />
  {/if}
{/snippet}

{#if !network}
  <h1>Networks</h1>
  <Empty title="No network yet">
    <p>
      A network hangs on a controller's port and carries stations; each station has exchanges: what
      travels, which way, how much, how often, and what happens when it stops.
    </p>
    {#if plant.list('ports').length}
      {#if plant.mayEdit && !founding}<button class="primary" onclick={() => (founding = true)}
          >Add a network</button
        >{/if}
    {:else}
      <p>
        First add a controller in <a
          href="/p/{plant.key}/hardware"
          onclick={(e) => {
            e.preventDefault();
            router.go(`/p/${plant.key}/hardware`);
          }}>Hardware</a
        >.
      </p>
    {/if}
  </Empty>
  {@render found()}
{:else}
  <nav class="row" aria-label="Networks">
    {#each networks as item (item.id)}
      <button
        class="plain tab"
        aria-pressed={item.id === network.id}
        class:current={item.id === network.id}
        onclick={() => open(item.id)}
      >
        {item.name}
        {#if plant
          .findingsAt([item.id, ...plant.list('stations', 'network', item.id).map((s) => s.id)])
          .some((f) => f.severity === 'error')}<Mark state="error" />{/if}
      </button>
    {/each}
    <span class="wide"></span>
    {#if plant.list('controllers').length > 1}
      <button onclick={() => router.go(`/p/${plant.key}/networks/between`)}
        >Between controllers</button
      >
    {/if}
    <button onclick={() => router.go(`/p/${plant.key}/networks/addresses`)}>Address plan</button>
    {#if plant.mayEdit}
      <button onclick={() => (founding = true)}>Add a network …</button>
    {/if}
  </nav>
  {@render found()}
  <header class="row title">
    <h1>{network.name}</h1>
    <Figures {plant} {network} {timing} exchanges={lines.length} />
    <span class="wide"></span>
    {#if plant.mayEdit}
      <button onclick={() => (settling = true)}>Add a station …</button>
      <button onclick={() => router.go(`/p/${plant.key}/hardware/catalogue/${network.id}`)}
        >From the catalogue …</button
      >
    {/if}
  </header>
  {#if settling}
    {#key network.id}
      <AddStation
        {plant}
        network={network.id}
        onmade={arrived}
        oncancel={() => (settling = false)}
      />
    {/key}
  {/if}
  {#if stations.length}
    {#if OwnLine}
      <OwnLine
        {plant}
        network={network.id}
        chosen={onRail ? chosen : (station?.id ?? '')}
        onchoose={choose}
      />
    {:else if bus?.branches}
      <Comb
        {plant}
        network={network.id}
        chosen={plant.row('closing_cables', chosen)?.id ?? station?.id ?? ''}
        onchoose={choose}
        onhang={plant.mayEdit ? hang : undefined}
      />
    {:else}
      <Route
        {plant}
        network={network.id}
        chosen={station?.id ?? ''}
        onchoose={choose}
        onplace={plant.mayEdit ? place : undefined}
      />
    {/if}
  {:else}
    <Empty title="No station on this network yet">
      <p>A station is a device on the network. Add one, then say what is exchanged with it.</p>
      {#if plant.mayEdit && !settling}<button class="primary" onclick={() => (settling = true)}
          >Add a station …</button
        >{/if}
    </Empty>
  {/if}
  {#each masters as rail (rail.id)}
    <MasterPorts {plant} rail={rail.id} {chosen} controller={controller?.id} onchoose={choose} />
  {/each}
  {#if course && !drawsTime(network.kind) && course.lanes.some((l) => l.blocks.length)}
    <NetworkTime
      {plant}
      timing={course}
      {names}
      {station}
      chosen={line?.exchange.id ?? ''}
      onchoose={choose}
    />
  {/if}
  {#if Drawing && network && controller}
    <Drawing {plant} network={network.id} controller={controller.id} onchoose={choose} />
  {/if}
  {#if Detail && network && (onRail || plant.row('stations', chosen))}
    <Detail {plant} network={network.id} row={chosen} />
  {/if}
  {#if stations.length}
    <Exchanges
      {plant}
      {network}
      {controller}
      {timing}
      {lines}
      {line}
      {station}
      {chosen}
      bind:adding
      onchoose={choose}
    />
    {#if station}<DeviceParameters {plant} station={station.id} />{/if}
  {/if}
{/if}

<style>
  nav {
    margin-bottom: var(--s4);
    flex-wrap: wrap;
  }
  .tab.current {
    font-weight: 600;
    border-bottom: 3px solid var(--heather);
    border-radius: 0;
  }
  .title {
    align-items: baseline;
  }
  @container (max-width: 800px) {
    .title {
      flex-wrap: wrap;
    }
  }
  .title h1,
  .title > button {
    white-space: nowrap;
  }
  .title > button {
    flex: none;
  }
</style>
