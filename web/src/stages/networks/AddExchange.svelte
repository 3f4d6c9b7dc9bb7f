<script lang="ts">
  import { Problem } from '../../api/client';
  import type { PlantStore } from '../../plant/store.svelte';

  /** An exchange: which function, from which reference, how many, how often, what when it stays silent. */
  let {
    plant,
    connection,
    onmade,
    oncancel,
  }: { plant: PlantStore; connection: string; onmade: (id: string) => void; oncancel: () => void } = $props();

  const FUNCTIONS = [
    [3, '3 read holding registers'], [4, '4 read input registers'], [1, '1 read coils'], [2, '2 read discrete inputs'],
    [16, '16 write holding registers'], [6, '6 write one holding register'], [15, '15 write coils'], [5, '5 write one coil'],
  ] as const;
  let code = $state(3);
  let name = $state('');
  let values = $state({ address: '', count: '1', period_ms: '500 ms', timeout_ms: '1000 ms' });
  let problem = $state<Problem | null>(null);
  const single = $derived(code === 5 || code === 6);

  function edit() {
    const settings: Record<string, unknown> = { function: code };
    for (const [key, value] of Object.entries(values)) if (value.trim()) settings[key] = value.trim();
    if (single) settings.count = 1;
    return { kind: 'add-exchange' as const, connection, name: name || null, settings, tag: '$exchange' };
  }

  async function make(event: SubmitEvent) {
    event.preventDefault();
    try {
      const answer = await plant.edit(edit(), `Add exchange ${name}`.trim());
      const made = answer?.tags['$exchange'];
      if (made) onmade(made);
    } catch (error) {
      problem = error instanceof Problem ? error : null;
    }
  }

  const bad = (field: string) => problem?.field.endsWith(field);
</script>

<form onsubmit={make} oninput={() => void plant.tryOut(edit(), 'Add this exchange')}>
  <label>Name <input bind:value={name} placeholder="Measured" /></label>
  <label>Function
    <select bind:value={code}>
      {#each FUNCTIONS as [value, label] (value)}<option {value}>{label}</option>{/each}
    </select>
  </label>
  <label>From reference <input class="mono" bind:value={values.address} class:bad={bad('address')} placeholder="40101 or @100" /></label>
  <label>Count <input class="mono short" bind:value={values.count} disabled={single} class:bad={bad('count')} /></label>
  <label>Period <input class="mono short" bind:value={values.period_ms} class:bad={bad('period_ms')} /></label>
  <label>Time-out <input class="mono short" bind:value={values.timeout_ms} class:bad={bad('timeout_ms')} /></label>
  <button class="primary">Add it</button>
  <button type="button" onclick={() => { plant.endPreview(); oncancel(); }}>Leave it</button>
  {#if problem}<p role="alert">{problem.detail}</p>{/if}
</form>

<style>
  form {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 10px;
    align-items: end;
    border: 1px dashed var(--heather);
    padding: 8px 12px 10px;
    margin: 8px 0;
  }
  label {
    display: grid;
    gap: 2px;
    color: var(--ink-2);
    font-size: 12.5px;
  }
  label > * {
    color: var(--ink);
  }
  input {
    width: 120px;
  }
  .short {
    width: 78px;
    text-align: right;
  }
  .bad {
    border-color: var(--bracken);
  }
  p {
    flex-basis: 100%;
    color: var(--bracken);
  }
</style>
