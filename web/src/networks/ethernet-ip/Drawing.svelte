<script lang="ts">
  import { shown } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';

  /** The packets a second of a controller as one stacked bar against what it bears, the station with the most first. */
  let {
    plant,
    controller,
    onchoose,
  }: { plant: PlantStore; controller: string; onchoose: (station: string) => void } = $props();

  const load = $derived(plant.part('controller.packets', controller));
  const name = $derived(plant.row('controllers', controller)?.name ?? '');
  const full = $derived(Math.max(load?.limit ?? 1, load?.packets_per_s ?? 0));
</script>

{#if load && load.stations.length}
  <div class="load">
    <p class="quiet">
      {name} can take <span class="mono">{shown(load.limit)}</span> packets/s, these take
      <strong class="mono">{shown(load.packets_per_s, 5)}</strong>
      {#if load.tight}· slow the first of these before the others{/if}
    </p>
    <div
      class="bar"
      role="group"
      aria-label="{shown(load.packets_per_s, 5)} of {shown(load.limit)} packets a second"
    >
      {#each load.stations as share (share.station)}
        <button
          class="plain share"
          class:over={load.over}
          style:width="{(100 * share.packets_per_s) / full}%"
          title="{share.name}: {shown(share.packets_per_s, 5)} packets/s"
          onclick={() => onchoose(share.station)}
          >{#if share.packets_per_s / full > 0.09}<span
              >{share.name} {shown(share.packets_per_s, 4)}</span
            >{/if}</button
        >
      {/each}
      <i class="limit" style:left="{(100 * load.limit) / full}%"></i>
    </div>
  </div>
{/if}

<style>
  .load {
    margin: var(--s2) 0 var(--s4);
  }
  .bar {
    position: relative;
    display: flex;
    height: 18px;
    margin-left: 96px;
    background: var(--leaf);
    border: 1px solid var(--rule-2);
  }
  .share {
    min-width: 2px;
    padding: 0;
    border: 0;
    border-right: 1px solid var(--leaf);
    border-radius: 0;
    background: var(--tarn-tint);
    overflow: hidden;
    height: 100%;
    display: block;
    text-align: left;
  }
  .share:nth-child(even) {
    background: var(--lichen-tint);
  }
  .share.over {
    background: var(--bracken-tint);
  }
  .share span {
    padding-left: var(--s2);
    font-size: var(--f-tiny);
    line-height: 16px;
    white-space: nowrap;
    font-weight: 400;
    color: var(--ink-2);
  }
  .limit {
    position: absolute;
    top: -3px;
    bottom: -3px;
    border-left: 2px solid var(--bracken);
  }
  p {
    margin: 0 0 var(--s2);
  }
</style>
