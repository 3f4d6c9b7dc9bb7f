<script lang="ts">
  import type { PartResult } from '../../api/client';
  import { plural, shown } from '../../kit/numbers';
  import { controllerOf, portLabel } from '../../plant/ports';
  import type { PlantStore, Row } from '../../plant/store.svelte';
  import { router } from '../../shell/router.svelte';

  /** A network in one line: what it is, how much hangs on it, how busy it is, its slowest path. */
  let {
    plant,
    network,
    timing,
    exchanges,
  }: {
    plant: PlantStore;
    network: Row<'networks'>;
    timing: PartResult<'network.timing'> | undefined;
    exchanges: number;
  } = $props();

  const bus = $derived(plant.catalogue.fieldbuses.find((b) => b.key === network.kind));
  const port = $derived(plant.row('ports', network.port));
  const stations = $derived(plant.list('stations', 'network', network.id).length);
  const controller = $derived(controllerOf(plant, port));
  const opened = $derived(
    controller
      ? plant
          .part('controller.connections', controller.id)
          ?.find((told) => told.fieldbus === network.kind)
      : undefined,
  );
  const slowest = $derived(plant.part('network.slowest', network.id));
</script>

<ul class="quiet">
  <li>{bus?.name ?? network.kind} on {port ? portLabel(plant, port) : 'no port'}</li>
  {#if timing}
    <li>{plural(stations, 'station')}</li>
    <li>{plural(exchanges, 'exchange')}</li>
    {#if timing.shape === 'polled-line' || timing.shape === 'token-cycle'}
      <li>line busy <strong class="mono">{shown(timing.load * 100, 3)} %</strong></li>
      <li>all once in {shown(timing.cycle_ms, 4)} ms</li>
      {#if timing.silent_for_ever}
        <li>never again while {timing.silent} is silent</li>
      {:else if timing.cycle_one_silent_ms != null}
        <li>{shown(timing.cycle_one_silent_ms, 4)} ms while {timing.silent} is silent</li>
      {/if}
    {:else if timing.shape === 'cyclic-frame'}
      <li><strong class="mono">{shown(timing.load * 100, 3)} %</strong> of the cycle</li>
    {:else if timing.shape === 'senders'}
      <li><strong class="mono">{shown(timing.packets_per_s, 5)}</strong> packets/s</li>
    {:else}
      <li>
        busiest station {shown(Math.max(0, ...timing.lanes.map((l) => l.utilisation)) * 100, 3)} %
      </li>
    {/if}
    {#if opened && controller}
      <li title="{opened.name} connections that {controller.name} opens, over all its networks">
        {opened.opened} of {opened.limit} connections
      </li>
    {/if}
    {#if slowest}
      <li>
        slowest <button
          class="plain link"
          title="{slowest.name}: its whole path at worst"
          onclick={() => router.go(`/p/${plant.key}/signals/${slowest.signal}`)}
          >{shown(slowest.worst_ms, 4)} ms</button
        >
      </li>
    {/if}
  {/if}
</ul>

<style>
  ul {
    display: flex;
    flex-wrap: wrap;
    margin: 0;
    padding: 0;
    list-style: none;
  }
  /* No figure is parted from its unit by the end of a line. */
  li {
    white-space: nowrap;
  }
  li:not(:last-child)::after {
    content: '·';
    padding: 0 var(--s2);
  }
  .link {
    text-decoration: underline;
    padding: 0;
    border: 0;
  }
</style>
