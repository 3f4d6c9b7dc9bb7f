<script lang="ts">
  import { untrack } from 'svelte';
  import { Problem, type Schemas } from '../api/client';
  import Mark from '../kit/Mark.svelte';
  import type { PlantStore } from '../plant/store.svelte';

  /** A record in a station by place and index, read and written while the bench runs; what was asked stays in sight. */
  let {
    plant,
    row,
    places,
    last,
    known: usual = [],
  }: {
    plant: PlantStore;
    row: string;
    places: { value: number; short: string; label: string }[];
    last: number;
    known?: { index: number; label: string }[];
  } = $props();

  let at = $state(untrack(() => places[0]?.value ?? 0));
  let index = $state('');
  const listed = $props.id();
  let typed = $state('');
  let problem = $state('');
  let known = $state.raw<Schemas['ObjectLiveOut'][]>([]);
  const running = $derived(plant.bench.running);

  $effect(() => (running ? plant.bench.watched() : undefined));
  $effect(() => {
    const told = plant.bench.state?.objects_told ?? 0;
    const of = row;
    if (!running || !told) known = [];
    else
      plant.bench
        .objects(of)
        .then((values) => {
          if (of === row) known = values;
        })
        // What is known stays; the top line says that nobody answers.
        .catch(() => {});
  });

  const hex = (number: number, digits: number) =>
    number.toString(16).toUpperCase().padStart(digits, '0');
  const place = (key: string) => {
    const [at = '', sub = ''] = key.split(':');
    const value = parseInt(at, 16);
    const index = parseInt(sub, 16);
    const where = places.find((one) => one.value === value)?.short ?? '';
    return `${where}, ${usual.find((one) => one.index === index)?.label ?? `index ${index}`}`;
  };

  async function ask(value: string | null) {
    problem = '';
    const number = Number(index.trim().replace(/^16#/i, '0x') || NaN);
    if (!Number.isInteger(number) || number < 0 || number > last) {
      problem = `“${index}” is no index: they go from 0 to ${last}.`;
      return;
    }
    try {
      const key = `${hex(at, 4)}:${hex(number, 2)}`;
      await plant.bench.command({ command: 'object', target: row, key, value });
      if (value !== null) typed = '';
    } catch (error) {
      problem = error instanceof Problem ? error.detail : String(error);
    }
  }
</script>

<form
  class="row"
  aria-label="A record"
  onsubmit={(event) => {
    event.preventDefault();
    void ask(typed.trim() || null);
  }}
>
  <span class="quiet">A record</span>
  <label
    >Of <select bind:value={at}>
      {#each places as one (one.value)}<option value={one.value}>{one.label}</option>{/each}
    </select></label
  >
  <label
    >Index <input
      class="mono index"
      bind:value={index}
      placeholder="0–{last}"
      list={listed}
    /></label
  >
  <datalist id={listed}>
    {#each usual as one (one.index)}<option value={String(one.index)}>{one.label}</option>{/each}
  </datalist>
  <button type="button" disabled={!running} onclick={() => ask(null)}>Read</button>
  <label>Octets <input class="mono octets" bind:value={typed} placeholder="in hex: 01 90" /></label>
  <button type="submit" disabled={!running || !typed.trim() || !plant.mayEdit}>Write</button>
  {#if !running}<span class="quiet">while the bench runs</span>{/if}
</form>
{#if problem}<p class="problem" role="alert">{problem}</p>{/if}
{#if known.length}
  <ul>
    {#each known as one (one.key)}
      <li>
        <span class="quiet">{place(one.key)}</span>
        {#if one.good && one.forms}
          <strong class="mono">{one.forms.octets}</strong>
          {#if one.forms.decimal}<span class="mono">{one.forms.decimal}</span>{/if}
          {#if one.forms.text}<span>“{one.forms.text}”</span>{/if}
          <span class="quiet">{one.text}</span>
        {:else}<Mark state="error" word={one.text} />{/if}
      </li>
    {/each}
  </ul>
{/if}

<style>
  form {
    flex-wrap: wrap;
    gap: var(--s3) var(--s4);
    margin: var(--s4) 0 var(--s2);
  }
  label {
    display: flex;
    align-items: center;
    gap: var(--s2);
  }
  select {
    max-width: 190px;
  }
  .index {
    width: 88px;
  }
  .octets {
    width: 150px;
  }
  .problem {
    color: var(--bracken);
    margin: 0;
  }
  ul {
    margin: 0;
    padding: 0;
    list-style: none;
  }
  li {
    display: flex;
    gap: var(--s4);
    align-items: baseline;
  }
</style>
