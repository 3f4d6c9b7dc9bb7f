<script lang="ts">
  import { untrack } from 'svelte';
  import { Problem, type Schemas } from '../api/client';
  import { PlantStore } from '../plant/store.svelte';
  import HardwareStage from '../stages/hardware/HardwareStage.svelte';
  import LaterStage from '../stages/LaterStage.svelte';
  import LiveStage from '../stages/live/LiveStage.svelte';
  import ScanView from '../stages/live/ScanView.svelte';
  import MotionStage from '../stages/motion/MotionStage.svelte';
  import Between from '../stages/networks/Between.svelte';
  import AddressPlan from '../stages/networks/AddressPlan.svelte';
  import NetworksStage from '../stages/networks/NetworksStage.svelte';
  import FileView from '../stages/signals/files/FileView.svelte';
  import ImageView from '../stages/signals/image/ImageView.svelte';
  import ListView from '../stages/signals/lists/ListView.svelte';
  import ProgramsView from '../stages/signals/programs/ProgramsView.svelte';
  import StructuresView from '../stages/signals/structures/StructuresView.svelte';
  import SealView from '../stages/safety/seal/SealView.svelte';
  import PairsView from '../stages/safety/PairsView.svelte';
  import SafetyStage from '../stages/safety/SafetyStage.svelte';
  import ScannersView from '../stages/safety/scanner/ScannersView.svelte';
  import SignalsStage from '../stages/signals/SignalsStage.svelte';
  import CatalogueView from '../stages/catalogue/CatalogueView.svelte';
  import QuantityList from '../stages/hardware/QuantityList.svelte';
  import ReplicateView from '../stages/replicate/ReplicateView.svelte';
  import ConflictBar from './ConflictBar.svelte';
  import Dock from './Dock.svelte';
  import History from './History.svelte';
  import Keys from './Keys.svelte';
  import { router } from './router.svelte';
  import { stageOf } from './stages';
  import Strip from './Strip.svelte';
  import TopBar from './TopBar.svelte';

  let { key, me, onsignout }: { key: string; me: Schemas['Me']; onsignout: () => void } = $props();

  const plant = untrack(() => new PlantStore(key));
  let ready = $state(false);
  let problem = $state('');
  let folded = $state(false);
  let history = $state(false);
  let keys = $state(false);
  let top = $state<TopBar>();

  $effect(() => {
    plant
      .open()
      .then(() => (ready = true))
      .catch((error: unknown) => {
        problem = error instanceof Problem ? error.detail : 'The server cannot be reached.';
      });
    void plant.bench.refresh();
    return () => plant.close();
  });

  const stage = $derived(stageOf(router.parts[2]));
  $effect(() => {
    plant.document = stage.key === 'live' ? 'built' : 'plant';
  });
  const object = $derived(router.parts[3] ?? '');
  const VIEWS: Record<string, string> = {
    catalogue: ' / Catalogue',
    replicate: ' / Replicate',
    quantities: ' / Quantities',
    addresses: ' / Address plan',
    between: ' / Between controllers',
    list: ' / I/O list',
    image: ' / Process image',
    structures: ' / Structures',
    programs: ' / Programs',
    files: ' / Read in',
    pairs: ' / Pairs',
  };
  const inner = $derived(router.parts[4] ?? '');

  function typing(event: KeyboardEvent): boolean {
    const at = event.target as HTMLElement;
    return at.matches('input, textarea, select, [contenteditable]');
  }

  function pressed(event: KeyboardEvent) {
    const control = event.ctrlKey || event.metaKey;
    const letter = event.key.toLowerCase();
    if (control && letter === 'k') top?.find();
    else if (control && letter === 'z' && !typing(event)) {
      void (event.shiftKey ? plant.redo() : plant.undo()).catch(() => {});
    } else if (control && letter === 'y' && !typing(event)) void plant.redo().catch(() => {});
    else if (typing(event) || control || event.altKey) return;
    else if (event.key === '/') top?.find();
    else if (event.key === '\\') folded = !folded;
    else if (event.key === '?') keys = !keys;
    else if (event.key === 'Escape' && (keys || history)) keys = history = false;
    else return;
    event.preventDefault();
  }
</script>

<svelte:window onkeydown={pressed} />
<svelte:head
  ><title>{plant.name ? `${plant.name} · ` : ''}{stage.name} · Highmoor</title></svelte:head
>

{#if problem}
  <p class="notice">{problem} <a href="/plants">All plants</a></p>
{:else if plant.gone}
  <p class="notice">
    This plant was deleted, or you are no longer a member. <a href="/plants">All plants</a>
  </p>
{:else if ready}
  <div class="window" class:folded>
    <TopBar
      bind:this={top}
      {plant}
      {me}
      stage={stage.name + (VIEWS[object] ?? '')}
      {onsignout}
      onhistory={() => (history = !history)}
    />
    <Strip {plant} stage={stage.key} />
    <main>
      <ConflictBar {plant} />
      {#if history}
        <History {plant} onclose={() => (history = false)} />
      {:else if keys}
        <Keys stage={stage.key} onclose={() => (keys = false)} />
      {:else if stage.key === 'hardware' && object === 'catalogue'}
        <CatalogueView {plant} place={inner} />
      {:else if stage.key === 'hardware' && object === 'replicate'}
        {#key inner}<ReplicateView {plant} source={inner} />{/key}
      {:else if stage.key === 'hardware' && object === 'quantities'}
        <QuantityList {plant} />
      {:else if stage.key === 'hardware'}
        <HardwareStage {plant} railId={object} chosen={inner} />
      {:else if stage.key === 'networks' && object === 'addresses'}
        <AddressPlan {plant} />
      {:else if stage.key === 'networks' && object === 'between'}
        <Between {plant} />
      {:else if stage.key === 'networks'}
        <NetworksStage {plant} networkId={object} chosen={inner} />
      {:else if stage.key === 'signals' && object === 'list'}
        <ListView {plant} />
      {:else if stage.key === 'signals' && object === 'structures'}
        <StructuresView {plant} />
      {:else if stage.key === 'signals' && object === 'programs'}
        <ProgramsView {plant} chosen={inner} line={router.parts[5] ?? ''} />
      {:else if stage.key === 'signals' && object === 'image'}
        <ImageView {plant} />
      {:else if stage.key === 'signals' && object === 'files'}
        <FileView {plant} />
      {:else if stage.key === 'signals'}
        <SignalsStage {plant} chosen={object} />
      {:else if stage.key === 'motion'}
        <MotionStage {plant} axisId={object} chosen={inner} />
      {:else if stage.key === 'safety' && object === 'pairs'}
        <PairsView {plant} chosen={inner} />
      {:else if stage.key === 'safety' && object === 'scanners'}
        <ScannersView {plant} scannerId={inner} chosen={router.parts[5] ?? ''} />
      {:else if stage.key === 'safety' && object === 'seal'}
        <SealView {plant} controllerId={inner} />
      {:else if stage.key === 'safety'}
        <SafetyStage {plant} functionId={object} chosen={inner} />
      {:else if stage.key === 'live' && object}
        {#key object}<ScanView {plant} networkId={object} me={me.name} />{/key}
      {:else if stage.key === 'live'}
        <LiveStage {plant} />
      {:else}
        <LaterStage {stage} />
      {/if}
    </main>
    <Dock {plant} {folded} onfold={() => (folded = !folded)} />
  </div>
{/if}

<style>
  .notice {
    padding: var(--s7);
  }
  .window {
    height: 100%;
    display: grid;
    grid-template: 46px 1fr / 96px 1fr 300px;
    overflow: hidden;
  }
  .window.folded {
    grid-template-columns: 96px 1fr 36px;
  }
  main {
    overflow: auto;
    padding: var(--s5) var(--s6) var(--s6);
    min-width: 0;
    position: relative;
    container-type: inline-size;
  }
  /* On a narrow screen the stages stand in a row above; on a very narrow one, or at a large zoom, the dock below. */
  @media (max-width: 1120px) {
    .window {
      grid-template: 46px auto 1fr / 1fr 272px;
    }
    .window.folded {
      grid-template-columns: 1fr 36px;
    }
  }
  @media (max-width: 800px) {
    .window,
    .window.folded {
      display: block;
      overflow: auto;
    }
    main {
      padding-inline: var(--s5);
      overflow: visible;
    }
  }
</style>
