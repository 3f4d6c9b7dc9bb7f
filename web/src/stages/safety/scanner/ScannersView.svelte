<script lang="ts">
  import { untrack } from 'svelte';
  import Empty from '../../../kit/Empty.svelte';
  import { shown } from '../../../kit/numbers';
  import type { PlantStore } from '../../../plant/store.svelte';
  import { router } from '../../../shell/router.svelte';
  import AddScanner from './AddScanner.svelte';
  import Around from './Around.svelte';
  import Device from './Device.svelte';
  import Plan from './Plan.svelte';
  import { ScannerWork } from './scannerWork.svelte';
  import ScannerSignals from './ScannerSignals.svelte';
  import Situations from './Situations.svelte';
  import Unwrapped from './Unwrapped.svelte';
  import Tried from './Tried.svelte';
  import Walk from './Walk.svelte';
  import ZoneTable from './ZoneTable.svelte';
  import type { Point } from './shapes';
  import { SafetyLive } from '../safetyLive.svelte';

  /** A scanner: its plan with zones and hazard, its situations, the same unwrapped. */
  let { plant, scannerId, chosen }: { plant: PlantStore; scannerId: string; chosen: string } =
    $props();

  const work = untrack(
    () =>
      new ScannerWork(
        plant,
        () => scannerId,
        () => chosen || scannerId,
      ),
  );
  let adding = $state(false);
  let naming = $state(false);
  const own = $derived(work.current);
  const told = $derived(work.told);
  const base = $derived(`/p/${plant.key}/safety`);
  let way = $state.raw<Point[]>([]);
  let spots = $state.raw<Point[]>([]);
  let marking = $state(false);
  const controller = $derived(own?.controller ?? '');
  const live = $derived(controller ? new SafetyLive(plant, controller) : null);
  $effect(() => live?.follow());
  const safe = $derived(plant.list('controllers').filter((one) => plant.type(one.type)?.safe));

  $effect(() => {
    const id = work.zone?.id ?? work.shape?.id ?? (chosen && work.situation?.id) ?? own?.id;
    const ids = [id || own?.id].filter((one): one is string => !!one);
    untrack(() => plant.select(...ids));
  });
  function key(event: KeyboardEvent) {
    if ((event.target as HTMLElement).matches('input, select, textarea') || event.ctrlKey) return;
    if (event.key === 'Escape' && work.dragged) work.cancel();
    else if (event.key === 'Escape' && chosen && own) work.open(own.id);
    if (event.key !== 'Delete' || !plant.mayEdit || !chosen) return;
    event.preventDefault();
    const row = work.zone ?? work.shape ?? work.situation;
    if (row) void work.remove(row.id, 'letter' in row ? `zone ${row.letter}` : 'it');
  }
  const back = (event: MouseEvent) => {
    event.preventDefault();
    router.go(base);
  };
</script>

<svelte:window onkeydown={key} />

<header class="row">
  <h1>Scanners</h1>
  {#if work.scanners.length > 1}
    <nav aria-label="Scanners">
      {#each work.scanners as one (one.id)}
        <button
          class="plain"
          aria-current={one.id === own?.id ? 'true' : undefined}
          onclick={() => router.go(`${base}/scanners/${one.id}`)}>{one.name}</button
        >
      {/each}
    </nav>
  {/if}
  <span class="wide"></span>
  <a href={base} onclick={back}>Functions</a>
  <a
    href="{base}/seal"
    onclick={(event) => {
      event.preventDefault();
      router.go(`${base}/seal`);
    }}>Seal</a
  >
  {#if plant.mayEdit && safe.length}
    <button onclick={() => (adding = true)}>Add a scanner</button>
  {/if}
</header>
{#if adding}
  <AddScanner
    {plant}
    controllers={safe}
    oncancel={() => (adding = false)}
    onmade={(id) => {
      adding = false;
      router.go(`${base}/scanners/${id}`);
    }}
  />
{/if}
{#if !own || !told}
  <Empty title="No scanner yet">
    <p>
      An area scanner watches zones on the floor and shuts off what would hurt somebody in them.
      From how soon the machine stands follows how far its zones have to reach.
    </p>
  </Empty>
{:else}
  <div class="row name">
    <h2>{own.name}</h2>
    <span class="quiet"
      >{plant.catalogue.scanner_types[own.type] ?? own.type} · {shown(told.height)} mm high, resolution
      {shown(told.resolution)} mm</span
    >
    <span class="wide"></span>
    <span class="scans"
      ><button
        class="plain"
        aria-label="One scan less"
        disabled={!plant.mayEdit || told.scans < 2}
        onclick={() => void work.confirm(told.scans - 1)}>◂</button
      ><strong class="mono">{told.scans}</strong><button
        class="plain"
        aria-label="One scan more"
        disabled={!plant.mayEdit}
        onclick={() => void work.confirm(told.scans + 1)}>▸</button
      >
      scans: answers within <strong class="mono">{shown(told.response_ms)} ms</strong></span
    >
    <button class="plain" aria-expanded={naming} onclick={() => (naming = !naming)}
      >Signals …</button
    >
    <button class="plain" aria-pressed={!chosen} onclick={() => work.open(own.id)}
      >Settings …</button
    >
  </div>
  {#if naming}
    {#key own.id}<ScannerSignals {work} onleave={() => (naming = false)} />{/key}
  {/if}
  {#key own.id}<Device {work} />{/key}
  <div class="main">
    <div>
      <Plan
        {work}
        width={500}
        height={430}
        person={(plant.bench.running && live?.told?.scanners[own.id]?.person) || null}
        {way}
        {spots}
        {marking}
        onmark={(at) => (way = [...way, at])}
      />
      <Around {work} />
    </div>
    <Situations {work} />
  </div>
  {#if live}
    <Walk
      {work}
      {live}
      path={way}
      {marking}
      onmark={(begin) => {
        marking = begin;
        if (begin) way = [];
      }}
    />
  {/if}
  <Tried {work} {live} onshow={(places) => (spots = places)} />
  <section aria-label="Zones"><ZoneTable {work} /></section>
  <section aria-label="All around">
    <div class="row">
      <h2>All around</h2>
      <span class="quiet">{work.situation?.name ?? ''}</span>
    </div>
    <Unwrapped {work} />
  </section>
  <p class="quiet foot">
    Distances by ISO 13855:2010. Highmoor computes and documents; it certifies nothing.
  </p>
{/if}

<style>
  header a {
    white-space: nowrap;
  }
  nav button[aria-current] {
    text-decoration: underline;
  }
  .name {
    align-items: baseline;
    flex-wrap: wrap;
    border-bottom: 1px solid var(--rule-2);
    padding: var(--s2) 0;
    margin-bottom: var(--s4);
  }
  .name > button {
    font-weight: 400;
  }
  .scans {
    white-space: nowrap;
  }
  .main {
    display: grid;
    grid-template-columns: minmax(0, 1fr) 320px;
    gap: var(--s6);
    align-items: start;
  }
  section {
    margin-top: var(--s5);
  }
  .foot {
    margin-top: var(--s6);
    font-size: var(--f-note);
  }
  @container (max-width: 760px) {
    .main {
      grid-template-columns: minmax(0, 1fr);
    }
  }
</style>
