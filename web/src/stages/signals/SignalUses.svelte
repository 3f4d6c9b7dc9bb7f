<script lang="ts">
  import type { PlantStore } from '../../plant/store.svelte';
  import { router } from '../../shell/router.svelte';

  /** Where the programs of its controller use a signal, line by line. */
  let { plant, signal }: { plant: PlantStore; signal: string } = $props();

  const MOST = 12;
  const uses = $derived(plant.part('signal.uses', signal)?.programs ?? []);
  const go = (program: string, line: number) =>
    router.go(`/p/${plant.key}/signals/programs/${program}/${line}`);
</script>

{#snippet lines(program: string, all: number[], word: string)}
  {#if all.length}
    <span class="quiet">{word}</span>
    {#each all.slice(0, MOST) as line (line)}
      <button class="plain mono" aria-label="line {line}" onclick={() => go(program, line)}
        >{line}</button
      >
    {/each}
    {#if all.length > MOST}<span class="quiet">…</span>{/if}
  {/if}
{/snippet}

{#each uses as use (use.program)}
  <p>
    <span class="quiet">Program</span> <strong>{use.name}</strong>
    {@render lines(use.program, use.reads, 'reads it in line')}
    {@render lines(use.program, use.writes, 'writes it in line')}
    {#if !use.reads.length && !use.writes.length}<span class="quiet"
        >uses it by a computed index</span
      >{/if}
  </p>
{/each}
