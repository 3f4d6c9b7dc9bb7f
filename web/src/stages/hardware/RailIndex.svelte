<script lang="ts">
  import Mark from '../../kit/Mark.svelte';
  import { shown } from '../../kit/numbers';
  import { headName, headOf, isPorts, railsBehind } from '../../plant/rails';
  import type { PlantStore } from '../../plant/store.svelte';

  /** Small drawings of all rails: order of modules, what is left of the supply, what is wrong. */
  let {
    plant,
    current,
    onopen,
  }: { plant: PlantStore; current: string; onopen: (rail: string) => void } = $props();
  let words = $state('');

  const heads = $derived([
    ...plant.list('controllers'),
    ...plant.list('networks').flatMap((n) => plant.list('stations', 'network', n.id)),
  ]);
  const rails = $derived(
    heads.flatMap((root) =>
      // A master's ports are drawn with its network; those of one on a controller's rail here.
      railsBehind(plant, root.id)
        .filter((rail) => !('network' in root && isPorts(rail)))
        .map((rail) => {
          const head = headOf(plant, rail) ?? root;
          const own = head.id === root.id ? root.name : `${root.name}, ${headName(plant, head)}`;
          const name = isPorts(rail) ? `${own}, ports` : own;
          return { head, name, rail };
        }),
    ),
  );
  const filtered = $derived(
    rails.filter(({ head, name }) =>
      `${name} ${head.location}`.toLowerCase().includes(words.toLowerCase()),
    ),
  );
  const drawn = $derived(filtered.slice(0, 24));

  function worst(rail: string): 'error' | 'warning' | null {
    const ids = [rail, ...plant.list('modules', 'rail', rail).map((m) => m.id)];
    const found = plant.findingsAt(ids).map((f) => f.severity);
    return found.includes('error') ? 'error' : found.includes('warning') ? 'warning' : null;
  }
</script>

<nav aria-label="Rails">
  {#if rails.length > 12}
    <input
      bind:value={words}
      placeholder="Filter {rails.length} rails"
      aria-label="Filter the rails"
    />
  {/if}
  {#each drawn as { head, name, rail } (rail.id)}
    {@const mounting = plant.part('rail.mounting', rail.id)}
    {@const power = plant.part('rail.power', rail.id)}
    {@const state = worst(rail.id)}
    <button
      class="plain"
      class:current={rail.id === current}
      aria-pressed={rail.id === current}
      onclick={() => onopen(rail.id)}
    >
      <span class="row">
        <strong title={name}>{name}</strong>
        <span class="quiet">{plant.type(head.type)?.name ?? head.type}</span>
        {#if state}<Mark {state} />{/if}
      </span>
      <span class="row">
        <svg width="96" height="12" aria-hidden="true">
          <rect x="0" y="0" width="10" height="12" class="head" />
          {#each mounting?.seats ?? [] as seat, n (n)}
            {#if n < 14}<rect
                x={12 + n * 6}
                y={seat.module ? 0 : 4}
                width="5"
                height={seat.module ? 12 : 4}
                class={seat.kind}
              />{/if}
          {/each}
        </svg>
        {#if power?.known}<span class="mono left" class:negative={power.lowest_ma < 0}
            >{shown(power.lowest_ma)}<span class="unit"> mA</span></span
          >{/if}
      </span>
    </button>
  {/each}
  {#if filtered.length > drawn.length}<span class="quiet"
      >{filtered.length - drawn.length} more: filter</span
    >{/if}
</nav>

<style>
  nav {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s2) var(--s4);
    align-items: center;
    max-height: 112px;
    overflow-y: auto;
  }
  button {
    display: grid;
    gap: var(--s2);
    text-align: left;
    border-bottom: 3px solid transparent;
    padding: var(--s2) var(--s4);
  }
  strong {
    max-width: 190px;
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .current {
    border-bottom-color: var(--heather);
    background: var(--leaf);
  }
  rect {
    fill: var(--ink-2);
  }
  .head {
    fill: var(--ink);
  }
  .cover,
  .open {
    fill: var(--rule-2);
  }
  .feed-in {
    fill: var(--lichen);
  }
  .unknown {
    fill: var(--bracken);
  }
  .left {
    font-size: var(--f-small);
  }
  .negative {
    color: var(--bracken);
    font-weight: 600;
  }
</style>
