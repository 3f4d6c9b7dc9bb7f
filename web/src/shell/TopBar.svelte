<script lang="ts">
  import type { Schemas } from '../api/client';
  import Mark from '../kit/Mark.svelte';
  import type { PlantStore } from '../plant/store.svelte';
  import Finder from './Finder.svelte';
  import { router } from './router.svelte';
  import { switchTheme } from './theme';

  let {
    plant,
    me,
    stage,
    onsignout,
    onhistory,
  }: {
    plant: PlantStore;
    me: Schemas['Me'];
    stage: string;
    onsignout: () => void;
    onhistory: () => void;
  } = $props();
  let finder: Finder;
  let menu = $state(false);

  export function find() {
    finder.focus();
  }

  const clock = (date: Date) => date.toLocaleTimeString();
  const others = $derived(plant.users.filter((name) => name !== me.name));
</script>

<header>
  <a
    class="brand"
    href="/plants"
    onclick={(e) => {
      e.preventDefault();
      router.go('/plants');
    }}>Highmoor</a
  >
  <h1>
    <button
      class="plain"
      title="{plant.name}: its name and note"
      onclick={() => plant.select('p0')}
    >
      {plant.name}
    </button>
  </h1>
  <span class="quiet crumb">/ {stage}</span>
  <span class="wide"></span>
  {#if plant.lostSince}
    <span class="lost" role="status">
      <Mark state="error" word="Connection lost at {clock(plant.lostSince)}" />
      {#if plant.outbox.unsent.length}· {plant.outbox.unsent.length} not saved yet{/if}
    </span>
  {:else if plant.outbox.unsent.length}
    <span class="lost" role="status">{plant.outbox.unsent.length} not saved yet</span>
  {/if}
  {#if others.length}<span class="quiet" title="Also here">with {others.join(', ')}</span>{/if}
  <Finder bind:this={finder} {plant} />
  <button class="plain" title="History of the plant" onclick={onhistory}>
    <span class="quiet">revision</span> <span class="mono revision">{plant.revision}</span>
  </button>
  <button
    class="step"
    disabled={!plant.step.undo || !plant.mayEdit}
    title={plant.step.undo ? `Undo: ${plant.step.undo.label} (Ctrl+Z)` : 'Nothing of yours to undo'}
    onclick={() => void plant.undo().catch(() => {})}
  >
    Undo{plant.step.undo ? ` ${plant.step.undo.label}` : ''}
  </button>
  <button
    class="step redo"
    disabled={!plant.step.redo || !plant.mayEdit}
    title={plant.step.redo ? `Redo: ${plant.step.redo.label} (Ctrl+Shift+Z)` : 'Nothing to redo'}
    onclick={() => void plant.redo().catch(() => {})}>Redo</button
  >
  <button class="plain live" onclick={() => router.go(`/p/${plant.key}/live`)}>
    {#if plant.bench.running}
      <Mark
        state={plant.bench.frozen ? 'warning' : 'good'}
        word="bench r{plant.bench.state?.revision}"
      />
    {:else}
      <Mark state="idle" word="Bench idle" />
    {/if}
  </button>
  <div class="menu">
    <button class="plain" aria-expanded={menu} onclick={() => (menu = !menu)}>{me.name}</button>
    {#if menu}
      <div class="list">
        <button class="plain" onclick={switchTheme}>Light or dark</button>
        <a class="plain" href="/api/plants/{plant.key}/export" download>Export this plant</a>
        <button class="plain" onclick={() => router.go('/plants')}>All plants</button>
        <button class="plain" onclick={onsignout}>Sign out</button>
      </div>
    {/if}
  </div>
</header>

<style>
  header {
    grid-column: 1 / -1;
    display: flex;
    align-items: center;
    gap: var(--s4);
    padding: 0 var(--s5) 0 var(--s5);
    border-bottom: 1px solid var(--rule-2);
    white-space: nowrap;
  }
  .brand {
    font: 700 var(--f-head) var(--head);
    text-decoration: none;
    width: 86px;
    flex: none;
  }
  h1 {
    font-size: var(--f-head);
    overflow: hidden;
    text-overflow: ellipsis;
    min-width: 60px;
    max-width: 260px;
  }
  h1 button {
    padding: var(--s1) 0;
    border: 0;
    font: inherit;
    max-width: 100%;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .crumb {
    min-width: 70px;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .lost {
    color: var(--bracken);
  }
  .step {
    flex: none;
    font-weight: 500;
    max-width: 172px;
    overflow: hidden;
    text-overflow: ellipsis;
    border-color: var(--rule-2);
  }
  .step:disabled {
    border-color: var(--rule);
  }
  .redo {
    flex: none;
  }
  .revision {
    font-weight: 600;
  }
  .menu {
    position: relative;
  }
  @media (max-width: 800px) {
    header {
      min-height: 46px;
      flex-wrap: wrap;
      padding-block: var(--s2);
    }
  }
  .list {
    position: absolute;
    right: 0;
    top: 100%;
    z-index: 30;
    background: var(--leaf);
    border: 1px solid var(--ink);
    padding: var(--s2);
    display: grid;
  }
  .list > * {
    text-align: left;
    padding: var(--s2) var(--s4);
    text-decoration: none;
    font-size: var(--f-body);
  }
  .list a:hover {
    background: var(--sunk);
  }
</style>
