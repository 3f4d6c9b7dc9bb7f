<script lang="ts">
  import { untrack } from 'svelte';
  import Empty from '../../kit/Empty.svelte';
  import { plural, shown } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';
  import { router } from '../../shell/router.svelte';
  import AddPart from './AddPart.svelte';
  import Again from './Again.svelte';
  import Failures from './Failures.svelte';
  import Faults from './Faults.svelte';
  import FunctionIndex from './FunctionIndex.svelte';
  import NameParts from './NameParts.svelte';
  import OnBench from './OnBench.svelte';
  import Records from './Records.svelte';
  import SafeText from './SafeText.svelte';
  import { SafetyWork } from './safetyWork.svelte';
  import WayInTime from './WayInTime.svelte';

  let { plant, functionId, chosen }: { plant: PlantStore; functionId: string; chosen: string } =
    $props();

  const work = untrack(
    () =>
      new SafetyWork(
        plant,
        () => functionId,
        () => chosen,
      ),
  );
  let adding = $state<'' | 'sensor' | 'actuator' | 'signals'>('');
  const own = $derived(work.current);
  const told = $derived(own ? plant.part('function.told', own.id) : undefined);

  $effect(() => {
    const id = work.chosen?.id ?? own?.id;
    untrack(() => plant.select(...(id ? [id] : [])));
  });

  function key(event: KeyboardEvent) {
    if ((event.target as HTMLElement).matches('input, select, textarea') || event.ctrlKey) return;
    if (event.key === 'Escape' && work.chosen && own) work.open(own.id);
    if (event.key !== 'Delete' || !plant.mayEdit) return;
    event.preventDefault();
    void work.remove();
  }
  const scannersPath = $derived(`/p/${plant.key}/safety/scanners`);
  const sealPath = $derived(`/p/${plant.key}/safety/seal`);
  const pairsPath = $derived(`/p/${plant.key}/safety/pairs`);
</script>

<svelte:window onkeydown={key} />

<header class="row">
  <h1>Safety</h1>
  <span class="quiet">{work.functions.length ? plural(work.functions.length, 'function') : ''}</span
  >
  <span class="wide"></span>
  <a
    href={scannersPath}
    onclick={(event) => {
      event.preventDefault();
      router.go(scannersPath);
    }}>Scanners</a
  >
  <a
    href={pairsPath}
    onclick={(event) => {
      event.preventDefault();
      router.go(pairsPath);
    }}>Safe channels in pairs</a
  >
  <a
    href={sealPath}
    onclick={(event) => {
      event.preventDefault();
      router.go(sealPath);
    }}>Seal</a
  >
  {#if plant.mayEdit}
    {#each work.controllers as controller (controller.id)}
      <button onclick={() => void work.addFunction(controller.id)}
        >Add a function{work.controllers.length > 1 ? ` of ${controller.name}` : ''}</button
      >
    {/each}
  {/if}
</header>

{#if !own || !told}
  <Empty title="No safety function yet">
    <p>
      {#if work.controllers.length}
        A safety function is what stops a movement on a demand: an emergency stop, an opened door,
        somebody in a field. From its parts follow how soon and how surely it acts.
      {:else}
        None of the controllers has a safe part. One of a type that has it can carry safe modules
        and safety functions.
      {/if}
    </p>
  </Empty>
{:else}
  <FunctionIndex {work} />
  <div class="row name">
    <h2>{own.name}</h2>
    <span class="quiet"
      >{plant.row('controllers', own.controller)?.name} · stop category {own.settings
        ?.stop_category ?? 0}</span
    >
    <span class="wide"></span>
    {#if plant.mayEdit}
      <button class="plain" onclick={() => (adding = 'sensor')}>Add a sensor</button>
      <button class="plain" onclick={() => (adding = 'actuator')}>Add an actuator</button>
      <button class="plain" onclick={() => (adding = 'signals')}>Signals …</button>
    {/if}
    <button class="plain" aria-pressed={!work.chosen} onclick={() => work.open(own.id)}
      >Settings …</button
    >
  </div>
  {#if adding === 'signals'}
    {#key own.id}<NameParts
        {plant}
        of={own.id}
        usual={'{part}'}
        onleave={() => (adding = '')}
      />{/key}
  {:else if adding}
    {#key adding}<AddPart
        {work}
        role={adding}
        oncancel={() => (adding = '')}
        onmade={(part) => {
          adding = '';
          work.open(own.id, part);
        }}
      />{/key}
  {/if}
  <section aria-label="From demand to standstill">
    <div class="row head">
      <h2>From demand to standstill</h2>
      <span
        class="mono"
        class:over={own.asked_ms != null && (told.time.total_ms ?? 0) > own.asked_ms}
        >{told.time.total_ms != null ? `${shown(told.time.total_ms, 5)} ms` : 'not known yet'}</span
      >
      <span class="quiet">
        {#if told.time.response_ms != null}response {shown(told.time.response_ms, 5)} ms,
          {shown(told.time.fault_ms, 5)} of them in case something is lost{:else}not known is {told.time.missing.join(
            ', ',
          )}{/if}{own.asked_ms != null ? ` · asked: ${shown(own.asked_ms, 5)} ms` : ''}
      </span>
    </div>
    <WayInTime {work} {told} asked={own.asked_ms ?? null} />
    {#each told.change as text (text)}<p class="change">{text}</p>{/each}
  </section>
  {#if told.level.counted.length}
    <section aria-label="How surely">
      <div class="row head">
        <h2>How surely</h2>
        <span class="quiet">{own.asked ? `asked: ${own.asked}` : 'no level is asked'}</span>
      </div>
      <Failures told={told.level} />
    </section>
  {/if}
  <section aria-label="Starting again">
    <div class="row head"><h2>Starting again</h2></div>
    <Again {work} />
  </section>
  {#key own.controller}<Records {work} /><Faults {work} /><OnBench {work} />{/key}
  <SafeText {plant} controller={own.controller} />
  <p class="quiet foot">
    Highmoor computes and documents what is configured here. It certifies nothing.
  </p>
{/if}

<style>
  header a {
    white-space: nowrap;
  }
  section {
    margin-top: var(--s5);
  }
  .head,
  .name {
    align-items: baseline;
  }
  .name {
    position: sticky;
    top: calc(-1 * var(--s5));
    z-index: 1;
    background: var(--paper);
    border-bottom: 1px solid var(--rule-2);
    padding: var(--s2) 0;
  }
  .name button {
    font-weight: 400;
    white-space: nowrap;
  }
  .over {
    color: var(--bracken);
    font-weight: 600;
  }
  .change {
    color: var(--gorse);
    margin-top: var(--s2);
  }
  .foot {
    margin-top: var(--s6);
    font-size: var(--f-note);
  }
</style>
