<script lang="ts">
  import { tick, untrack } from 'svelte';
  import Empty from '../../kit/Empty.svelte';
  import { plural, shown } from '../../kit/numbers';
  import { headName, rootOf } from '../../plant/rails';
  import type { PlantStore } from '../../plant/store.svelte';
  import { router } from '../../shell/router.svelte';
  import AddController from './AddController.svelte';
  import ChannelTable from './ChannelTable.svelte';
  import { heldClip } from './clips';
  import RailDrawing from './RailDrawing.svelte';
  import RailIndex from './RailIndex.svelte';
  import { RailWork } from './railWork.svelte';
  import Shelf from './Shelf.svelte';
  import Staircase from './Staircase.svelte';

  let { plant, railId, chosen }: { plant: PlantStore; railId: string; chosen: string } = $props();

  const work = untrack(() => new RailWork(plant, () => railId));
  let adding = $state(false);
  let panel = $state<'modules' | 'channels'>('modules');
  let shelf = $state<Shelf>();
  let drawing = $state<RailDrawing>();

  const rail = $derived(work.rail);
  const head = $derived(work.head);
  const mounting = $derived(work.mounting);
  const seats = $derived(work.seats);
  const seat = $derived(work.seat);
  const controller = $derived(plant.row('controllers', rail?.head));
  const root = $derived(rootOf(plant, rail?.id));
  const network = $derived(
    plant.row('networks', root && 'network' in root ? root.network : undefined),
  );
  const headTitle = $derived(
    [network?.name, head !== root && root?.name, head && headName(plant, head)]
      .filter(Boolean)
      .join(', '),
  );
  const power = $derived(rail ? plant.part('rail.power', rail.id) : undefined);
  const where = $derived(
    work.placing === 'replace'
      ? `the module in slot ${seat?.slot}`
      : work.placed
        ? 'Enter places the next one behind it, Escape ends'
        : seats[work.next]
          ? `Enter inserts before slot ${seats[work.next]!.slot}; or drag onto the rail`
          : 'Enter inserts behind the last; or drag onto the rail',
  );

  $effect(() => {
    const wanted = chosen;
    void seats;
    untrack(() => work.arrive(wanted));
  });

  // What is looked at is followed, so that its channels show their values.
  $effect(() => {
    const channels = seat?.module
      ? plant.part('module.channels', seat.module)?.channels
      : undefined;
    if (plant.bench.running && channels)
      plant.bench.follow(channels.flatMap((c) => c.signals.map((s) => s.signal)));
  });

  const openHardware = (place: string) => router.go(`/p/${plant.key}/hardware/${place}`);

  async function toShelf(placing: 'insert' | 'replace') {
    work.placing = placing;
    panel = 'modules';
    await tick();
    shelf?.focus();
  }

  /** What a letter does at the rail; undefined when it does nothing there. */
  function command(letter: string): (() => unknown) | undefined {
    const first = plant.selection[0];
    if (letter === 'ctrl+c') return () => work.copy();
    if (letter === 'ctrl+v') return () => work.paste(heldClip());
    if (letter === 'ctrl+a') return () => work.chooseAll();
    if (letter === 'i') return () => toShelf('insert');
    if (letter === 'r' && seat?.module) return () => toShelf('replace');
    if (letter === 'd' && work.ids.length) return () => work.duplicate();
    if (letter === 'delete' && work.ids.length) return () => work.remove();
    if (letter === 'n' && first) return () => openHardware(`replicate/${first}`);
    if (letter === 'c') return () => openHardware(`catalogue/${seat?.module ?? rail?.id ?? ''}`);
    return undefined;
  }

  function onletter(letter: string): boolean {
    const wanted = command(letter);
    void wanted?.();
    return !!wanted;
  }

  function hint(type: string) {
    const { edit, label } = work.pending(type);
    void plant.tryOut(edit, label, rail ? [['rail.power', rail.id]] : []);
  }

  async function pick(type: string) {
    // What is typed on is the next module's name, never a command of the drawing.
    if (await work.pick(type)) shelf?.focus();
    else drawing?.focus();
  }

  function leave() {
    work.placing = 'insert';
    work.placed = '';
    plant.endPreview();
    drawing?.focus();
  }
</script>

<div class="row top">
  <RailIndex
    {plant}
    current={rail?.id ?? ''}
    onopen={(id) => {
      work.at = -1;
      plant.select();
      openHardware(id);
    }}
  />
  <span class="wide"></span>
  <span class="row tools">
    <button onclick={() => openHardware(`catalogue/${rail?.id ?? ''}`)}>Catalogue</button>
    <button onclick={() => openHardware('quantities')}>Quantities</button>
    {#if plant.mayEdit}<button onclick={() => (adding = !adding)}>Add a controller …</button>{/if}
  </span>
</div>
{#if adding}
  <AddController
    {plant}
    oncancel={() => (adding = false)}
    onmade={(id) => {
      adding = false;
      openHardware(id);
    }}
  />
{/if}

{#if !rail || !head}
  <Empty title="No controller yet">
    <p>
      Start with a controller: its type, its firmware revision, its address. Then fill its rail with
      modules in the order they are mounted, and see whether the internal supply lasts.
    </p>
    {#if plant.mayEdit && !adding}<button class="primary" onclick={() => (adding = true)}
        >Add a controller</button
      >{/if}
  </Empty>
{:else}
  <header class="row title">
    <h1>{headTitle}</h1>
    {#if mounting}
      <span class="quiet">
        {plant.type(head.type)?.name ?? head.type}{controller
          ? `, firmware ${controller.firmware}`
          : ''} ·
        {plural(seats.length, 'slot')}, {mounting.addressed ? 'addressed' : 'counted left to right'} ·
        {shown(mounting.width_mm)} <span class="unit">mm</span> ·
        <span class:hot={mounting.too_hot}
          >{shown(mounting.heat_w)}{mounting.heat_limit_w == null
            ? ''
            : ` of ${shown(mounting.heat_limit_w)}`}</span
        > <span class="unit">W</span>
      </span>
    {/if}
    <span class="wide"></span>
    <span class="quiet keys"
      >{#if work.copied}<span role="status">Copied {work.copied}</span>{/if}
      <kbd>I</kbd> insert <kbd>R</kbd> replace <kbd>N</kbd> n more <kbd>?</kbd> all keys</span
    >
  </header>

  <RailDrawing bind:this={drawing} {work} {onletter}>
    {#snippet below(laid)}
      {#if panel === 'channels'}<!-- The table of channels takes the room. -->{:else if power?.known}<Staircase
          {power}
          head={laid.head}
          placed={laid.seats}
          width={laid.total}
          pending={plant.pending('rail.power', rail.id)}
        />{:else if power}<p class="quiet">
          The file of {mounting?.head_name} says nothing about its internal supply.
        </p>{/if}
    {/snippet}
  </RailDrawing>

  <nav class="row panels" aria-label="Below the rail">
    <button
      class="plain tab"
      class:current={panel === 'modules'}
      onclick={() => (panel = 'modules')}>Modules</button
    >
    <button
      class="plain tab"
      class:current={panel === 'channels'}
      disabled={!seat?.module}
      onclick={() => (panel = 'channels')}>Channels{seat?.module ? ` of ${seat.label}` : ''}</button
    >
  </nav>
  {#if panel === 'channels' && seat?.module}
    {#key seat.module}<ChannelTable {plant} module={seat.module} />{/key}
  {:else if plant.mayEdit}
    <Shelf
      bind:this={shelf}
      {plant}
      rail={rail.id}
      before={work.placing === 'insert' && !mounting?.addressed
        ? (seats[work.next]?.module ?? null)
        : null}
      instead={work.placing === 'replace' ? (seat?.module ?? null) : null}
      {where}
      placing={work.placing}
      onpick={pick}
      onpaste={(clip) => void work.paste(clip)}
      onhint={hint}
      onleave={leave}
      ongrab={(event, type) => drawing?.grab(event, [], type)}
    />
  {/if}
{/if}

<style>
  .top {
    align-items: flex-start;
    margin: calc(-1 * var(--s2)) 0 var(--s4);
  }
  .title {
    margin-bottom: var(--s4);
    align-items: baseline;
  }
  .tools {
    flex: none;
  }
  .hot {
    color: var(--bracken);
    font-weight: 600;
  }
  .panels {
    border-bottom: 1px solid var(--rule);
    margin-top: var(--s2);
  }
  .tab.current {
    border-bottom: 3px solid var(--heather);
  }
  .keys {
    font-size: var(--f-note);
    white-space: nowrap;
  }
</style>
