<script lang="ts">
  import type { PlantStore } from '../plant/store.svelte';

  /** An edit that met another's later work: both values are shown, and one is chosen. */
  let { plant }: { plant: PlantStore } = $props();
  const conflict = $derived(plant.outbox.conflict);

  function written(value: unknown): string {
    if (value === null || value === undefined || value === '') return 'nothing';
    if (typeof value === 'boolean') return value ? 'there' : 'gone';
    return typeof value === 'object' ? JSON.stringify(value) : String(value);
  }

  async function take(mine: boolean) {
    const current = plant.outbox.conflict;
    plant.outbox.conflict = null;
    // Whatever is chosen is chosen in view of what is there now, so that becomes the ground to edit on.
    await plant.load().catch(() => {});
    if (!current || !mine) return;
    if (current.rest) {
      await current.rest().catch(() => {});
      return;
    }
    for (const overlap of current.overlaps.filter((o) => o.field)) {
      const edit = {
        kind: 'set' as const,
        ids: [overlap.id],
        values: { [overlap.field]: overlap.yours },
      };
      await plant.edit(edit, `${overlap.label}: ${overlap.field}`).catch(() => {});
    }
  }

  const settable = $derived(conflict?.overlaps.some((o) => o.field && exists(o.id)) ?? false);

  function exists(id: string): boolean {
    return Object.values(plant.tables).some((table) => table.has(id));
  }
</script>

{#if plant.looking !== null}
  <div class="bar looking" role="status">
    <strong>Revision {plant.looking}, as it was.</strong> Nothing can be edited here.
    <span class="wide"></span>
    <button
      onclick={() => void plant.restore(plant.looking!)}
      disabled={plant.role === 'reader' || plant.role === 'assessor'}>Make it the present</button
    >
    <button class="primary" onclick={() => void plant.look(null)}>Back to today</button>
  </div>
{/if}
{#if conflict}
  <div class="bar" role="alertdialog" aria-label="Changed meanwhile">
    <div class="wide">
      <strong
        >“{conflict.label}” was not made: somebody else changed the same thing meanwhile.</strong
      >
      <table>
        <thead><tr><th>Where</th><th>There now</th><th>Yours</th><th>By</th></tr></thead>
        <tbody>
          {#each conflict.overlaps.slice(0, 8) as overlap (overlap.id + overlap.field)}
            <tr>
              <td>{overlap.label} <span class="quiet mono">{overlap.field}</span></td>
              <td class="mono">{written(overlap.theirs)}</td>
              <td class="mono">{written(overlap.yours)}</td>
              <td
                >{overlap.author || 'somebody'}{overlap.revision
                  ? `, r${overlap.revision}`
                  : ''}</td
              >
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
    <button class="primary" onclick={() => void take(false)}>Keep what is there</button>
    {#if conflict.rest}
      <button onclick={() => void take(true)}>Take back the rest</button>
    {:else if settable}
      <button onclick={() => void take(true)}>Use mine</button>
    {/if}
  </div>
{/if}

<style>
  .bar {
    display: flex;
    gap: var(--s4);
    align-items: center;
    border-left: 3px solid var(--gorse);
    background: var(--gorse-tint);
    padding: var(--s4) var(--s5);
    margin: calc(-1 * var(--s2)) 0 var(--s5);
  }
  .looking {
    border-color: var(--tarn);
    background: var(--tarn-tint);
  }
</style>
