<script lang="ts">
  import { Problem } from '../api/client';
  import type { PlantStore } from '../plant/store.svelte';
  import InlineForm from './InlineForm.svelte';

  /** A scaling put right by two measured points: what the channel counted, and what it really was. */
  let {
    plant,
    link,
    signal,
    onclose,
  }: { plant: PlantStore; link: string; signal: string; onclose: () => void } = $props();

  const POINTS = ['Low point', 'High point'];
  let points = $state([
    { raw: '', value: '' },
    { raw: '', value: '' },
  ]);
  let problem = $state('');

  const row = $derived(plant.row('signals', signal));
  const now = $derived(plant.bench.running ? plant.bench.values.get(signal) : undefined);
  const full = $derived(points.every((point) => point.raw.trim() && point.value.trim()));

  async function calibrate() {
    if (!full) return;
    try {
      await plant.edit({ kind: 'calibrate', link, points }, `Calibrate ${row?.name}`);
      onclose();
    } catch (error) {
      problem = error instanceof Problem ? error.detail : String(error);
    }
  }
</script>

<InlineForm make="Calibrate" {problem} onmake={calibrate} oncancel={onclose}>
  {#each points as point, n (n)}
    <fieldset>
      <legend>{POINTS[n]}</legend>
      <label
        >Counts <input
          class="mono"
          bind:value={point.raw}
          aria-label="{POINTS[n]}, counts"
        /></label
      >
      {#if now?.raw != null}<button
          type="button"
          title="The counts of this moment"
          onclick={() => (point.raw = String(now.raw))}>Now</button
        >{/if}
      <label
        >Really, {row?.unit || 'value'}
        <input class="mono" bind:value={point.value} aria-label="{POINTS[n]}, really" /></label
      >
    </fieldset>
  {/each}
</InlineForm>

<style>
  fieldset {
    border: 0;
    padding: 0;
    margin: 0;
    display: flex;
    align-items: end;
    gap: var(--s3);
  }
  legend {
    padding: 0;
    color: var(--ink-2);
  }
  input {
    width: 82px;
    text-align: right;
  }
</style>
