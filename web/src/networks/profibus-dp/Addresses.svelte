<script lang="ts">
  import type { PlantStore } from '../../plant/store.svelte';

  /** Who is where from 0 to 126: the master, each station, the address of delivery. */
  let {
    plant,
    network,
    chosen,
    onchoose,
  }: {
    plant: PlantStore;
    network: string;
    chosen: string;
    onchoose: (station: string) => void;
  } = $props();

  const LAST = 126;
  const told = $derived(plant.part('profibus.line', network));
  const stations = $derived(
    plant.list('stations', 'network', network).filter((s) => /^\d+$/.test(s.address)),
  );
  const left = (address: number) => `${(100 * (address + 0.5)) / (LAST + 1)}%`;
  const doubled = $derived(
    new Set(
      stations
        .filter((s, n) => stations.some((o, k) => k !== n && o.address === s.address))
        .map((s) => s.id),
    ),
  );
</script>

<div class="ruler" role="group" aria-label="Addresses 0 to 126">
  <span class="track"></span>
  {#each [0, 16, 32, 48, 64, 80, 96, 112, 126] as tick (tick)}
    <span class="tick mono" style:left={left(tick)}>{tick}</span>
  {/each}
  <span class="delivery" style:left={left(LAST)} title="126: where every new device is"></span>
  {#if told}<span class="master" style:left={left(told.master)} title="The master: {told.master}"
    ></span>{/if}
  {#each stations as station (station.id)}
    <button
      class="plain"
      class:chosen={chosen === station.id}
      class:bad={doubled.has(station.id) || told?.master === Number(station.address)}
      style:left={left(Number(station.address))}
      aria-label="{station.address}: {station.name}"
      title="{station.address}: {station.name}"
      onclick={() => onchoose(station.id)}
    ></button>
  {/each}
</div>

<style>
  .ruler {
    position: relative;
    height: 34px;
    margin: var(--s2) 0 var(--s4);
  }
  .track {
    position: absolute;
    inset: 4px 0 auto;
    height: 14px;
    background: repeating-linear-gradient(
      90deg,
      var(--sunk) 0 calc(100% / 127 - 1px),
      var(--rule) calc(100% / 127 - 1px) calc(100% / 127)
    );
  }
  .tick {
    position: absolute;
    bottom: 0;
    transform: translateX(-50%);
    font-size: var(--f-tiny);
    color: var(--ink-2);
  }
  .ruler > button,
  .master,
  .delivery {
    position: absolute;
    top: 2px;
    width: 7px;
    height: 18px;
    padding: 0;
    transform: translateX(-50%);
    border: 0;
    border-radius: 0;
  }
  .ruler > button {
    background: var(--tarn);
    cursor: pointer;
  }
  .ruler > button.chosen {
    background: var(--heather);
    height: 22px;
    top: 0;
  }
  .ruler > button.bad {
    background: var(--bracken);
  }
  .master {
    background: var(--ink);
  }
  .delivery {
    background: repeating-linear-gradient(135deg, var(--rule-2) 0 2px, var(--leaf) 2px 4px);
  }
</style>
