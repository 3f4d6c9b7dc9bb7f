<script lang="ts">
  import type { PlantStore } from '../plant/store.svelte';
  import { router } from './router.svelte';
  import { counts, STAGES } from './stages';

  let { plant, stage }: { plant: PlantStore; stage: string } = $props();

  function mark(key: string, later: boolean): { text: string; severity: string } {
    if (later) return { text: 'not built yet', severity: 'later' };
    if (key === 'live') {
      if (!plant.bench.running) return { text: 'bench idle', severity: '' };
      const bad = plant.bench.state?.stations.filter((s) => s.state === 'bad').length ?? 0;
      return bad
        ? { text: `${bad} with faults`, severity: 'error' }
        : { text: 'running', severity: '' };
    }
    const found = counts(plant.findings.values(), key);
    if (found.error) return { text: `${found.error} to mend`, severity: 'error' };
    if (found.warning) return { text: `${found.warning} to look at`, severity: 'warning' };
    if (found.note) return { text: `${found.note} noted`, severity: '' };
    return { text: 'nothing open', severity: '' };
  }
</script>

<nav aria-label="Stages">
  {#each STAGES as item (item.key)}
    {@const state = mark(item.key, item.later.length > 0)}
    <a
      href="/p/{plant.key}/{item.key}"
      aria-current={item.key === stage ? 'page' : undefined}
      onclick={(event) => {
        event.preventDefault();
        router.go(`/p/${plant.key}/${item.key}`);
      }}
    >
      <span class="name">{item.name}</span>
      <span class="state {state.severity}">{state.text}</span>
    </a>
  {/each}
</nav>

<style>
  nav {
    border-right: 1px solid var(--rule-2);
    overflow: auto;
  }
  a {
    display: grid;
    gap: var(--s1);
    padding: var(--s4) var(--s3) var(--s4) var(--s4);
    border-bottom: 1px solid var(--rule);
    border-left: 4px solid transparent;
    text-decoration: none;
    color: var(--ink-2);
  }
  a:hover {
    background: var(--sunk);
  }
  a[aria-current] {
    border-left-color: var(--heather);
    background: var(--leaf);
    color: var(--ink);
  }
  a[aria-current] .name {
    font-weight: 600;
  }
  .state {
    font-size: var(--f-small);
  }
  @media (max-width: 1120px) {
    nav {
      grid-column: 1 / -1;
      display: flex;
      border-right: 0;
      border-bottom: 1px solid var(--rule-2);
    }
    a {
      flex: 1 0 auto;
      padding: var(--s2) var(--s4);
      border-bottom: 0;
      border-left: 1px solid var(--rule);
      border-top: 3px solid transparent;
    }
    a[aria-current] {
      border-left-color: var(--rule);
      border-top-color: var(--heather);
    }
  }
  .error {
    color: var(--bracken);
  }
  .warning {
    color: var(--gorse);
  }
</style>
