<script lang="ts">
  import ObjectForm from '../../kit/ObjectForm.svelte';
  import { isPorts, railsBehind } from '../../plant/rails';
  import type { PlantStore } from '../../plant/store.svelte';

  /** What really hangs on the ports of a master: there or not, another one, a new one, what it tells. */
  let { plant, station }: { plant: PlantStore; station: string } = $props();

  const plugged = $derived(
    railsBehind(plant, station)
      .filter(isPorts)
      .flatMap((rail) => plant.list('modules', 'rail', rail.id)),
  );
  const built = $derived(
    new Map(plant.list('built_modules').map((module) => [module.module ?? '', module])),
  );
  const differs = (id: string) => {
    const own = built.get(id);
    return !!own && (own.there === false || !!own.settings?.replaced || !!own.settings?.event);
  };
</script>

{#if plugged.length}
  <div class="ports" aria-label="On its ports" role="group">
    {#each plugged as module (module.id)}
      <details>
        <summary class:differs={differs(module.id)}
          >Port {module.slot}: {module.designation || plant.type(module.type)?.name}</summary
        >
        <ObjectForm {plant} id={module.id} built />
      </details>
    {/each}
  </div>
{/if}

<style>
  .ports {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(250px, 1fr));
    gap: var(--s2) var(--s6);
    margin: var(--s2) 0;
  }
  summary {
    cursor: pointer;
  }
  .differs {
    color: var(--gorse);
    font-weight: 600;
  }
</style>
