<script lang="ts">
  import { Problem } from '../../../api/client';
  import type { PlantStore } from '../../../plant/store.svelte';
  import { byHand } from './fields';

  /** A field that no file names, by its bits: where it is, how long, whether it has a sign, what a count is worth. */
  let {
    plant,
    controller,
    module,
    out,
  }: { plant: PlantStore; controller: string | undefined; module: string; out: boolean } = $props();

  let name = $state('');
  let way = $state<'in' | 'out'>('in');
  let from = $state('');
  let bits = $state('');
  let sign = $state<'UINT' | 'INT' | 'REAL'>('UINT');
  let count = $state('');
  let unit = $state('');
  let problem = $state('');

  async function make(event: SubmitEvent) {
    event.preventDefault();
    problem = '';
    const told = byHand({ way, from, bits, sign, count });
    if (told.problem !== undefined) {
      problem = told.problem;
      return;
    }
    const edit = {
      kind: 'add-signals' as const,
      controller: controller ?? '',
      pattern: name.trim(),
      start: 1,
      step: 1,
      count: 1,
      unit: unit.trim(),
      note: '',
      place: module,
      key: told.key,
      type: told.type,
      scaling: told.scaling ?? null,
    };
    try {
      await plant.edit(edit, `Name ${name.trim()} by its bits`);
      name = from = bits = count = unit = '';
    } catch (error) {
      problem = error instanceof Problem ? error.detail : String(error);
    }
  }
</script>

<form onsubmit={make} aria-label="A field by its bits">
  <label>Name <input class="name" bind:value={name} required /></label>
  {#if out}<label
      >Way <select bind:value={way}
        ><option value="in">it gives</option><option value="out">it takes</option></select
      ></label
    >{/if}
  <label>From bit <input bind:value={from} required inputmode="numeric" /></label>
  <label>Bits <input bind:value={bits} required inputmode="numeric" /></label>
  <label
    >Number <select bind:value={sign}
      ><option value="UINT">without sign</option><option value="INT">with sign</option><option
        value="REAL">real</option
      ></select
    ></label
  >
  <label title="What a count is worth: 0.1 for tenths. Empty: the count is the value."
    >A count is <input bind:value={count} placeholder="1" /></label
  >
  <label>Unit <input bind:value={unit} placeholder="mm" /></label>
  <button disabled={!controller}>Name it</button>
  {#if problem}<span class="bad" role="alert">{problem}</span>{/if}
</form>

<style>
  form {
    display: flex;
    flex-wrap: wrap;
    align-items: flex-end;
    gap: var(--s2) var(--s4);
    margin-top: var(--s4);
  }
  label {
    display: grid;
    font-size: var(--f-small);
    color: var(--ink-2);
  }
  input {
    width: 64px;
  }
  .name {
    width: 140px;
  }
  .bad {
    color: var(--bracken);
    flex-basis: 100%;
  }
</style>
