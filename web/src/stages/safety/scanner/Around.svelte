<script lang="ts">
  import InlineForm from '../../../kit/InlineForm.svelte';
  import { focused } from '../../../kit/focus';
  import { Making } from '../../../kit/making.svelte';
  import { untrack } from 'svelte';
  import { WORDS, type ScannerWork } from './scannerWork.svelte';
  import type { Point } from './shapes';

  /** What stands around a scanner, as a list: hazards, walls, guards, where somebody comes; and one more by its points. */
  let { work }: { work: ScannerWork } = $props();

  const plant = untrack(() => work.plant);
  type Kind = keyof typeof WORDS;
  let adding = $state(false);
  let kind = $state<Kind>('wall');
  let text = $state('');
  let only = $state('');
  const points = $derived(
    text
      .trim()
      .split(/[;\n]+/)
      .filter((one) => one.trim())
      .map((one) =>
        one
          .trim()
          .split(/[\s,]+/)
          .map(Number),
      ),
  );
  const making = untrack(
    () =>
      new Making(plant, () => ({
        kind: 'add-plan-shape',
        scanner: work.current?.id ?? '',
        shape: kind,
        points: points as unknown as never[],
        situation: kind === 'hazard' && only ? only : null,
        tag: '$made',
      })),
  );
  async function make() {
    const made = (await making.make(`Add a ${WORDS[kind]}`))?.tags['$made'];
    if (!made) return;
    [adding, text] = [false, ''];
    work.open(made);
  }
  const called = (row: (typeof work.shapes)[number]) => {
    const situation = row.situation ? plant.row('situations', row.situation)?.name : '';
    const count = ((row.settings?.points ?? []) as Point[]).length;
    return `${WORDS[row.kind as Kind]}${situation ? `, ${situation}` : `, ${count} points`}`;
  };
</script>

<ul aria-label="Around it">
  {#each work.shapes as row (row.id)}
    <li>
      <button
        class="plain"
        aria-pressed={row.id === work.shape?.id}
        onclick={() => work.open(row.id)}>{called(row)}</button
      >
    </li>
  {/each}
  {#if plant.mayEdit}
    <li>
      <button class="plain more" onclick={() => (adding = true)}>Add what stands there</button>
    </li>
  {/if}
</ul>
{#if adding}
  <InlineForm
    make="Add it"
    problem={making.problem?.detail}
    onmake={make}
    onchange={() => making.changed(`Add a ${WORDS[kind]}`)}
    oncancel={() => making.leave(() => (adding = false))}
  >
    <label
      >Is
      <select bind:value={kind} use:focused>
        {#each Object.entries(WORDS) as [key, words] (key)}<option value={key}>{words}</option
          >{/each}
      </select></label
    >
    {#if kind === 'hazard'}
      <label
        >Only in
        <select bind:value={only}>
          <option value="">every situation</option>
          {#each work.situations as one (one.id)}<option value={one.id}>{one.name}</option>{/each}
        </select></label
      >
    {/if}
    <label class="points"
      >Points, mm: x y; x y
      <input class="mono" bind:value={text} placeholder="-2000 0; -2000 9000" /></label
    >
  </InlineForm>
{/if}

<style>
  ul {
    list-style: none;
    margin: var(--s2) 0 0;
    padding: 0;
    display: flex;
    flex-wrap: wrap;
    gap: 0 var(--s3);
  }
  li button {
    font-weight: 400;
    font-size: var(--f-note);
    color: var(--ink-2);
  }
  li button[aria-pressed='true'] {
    color: var(--heather);
    text-decoration: underline;
  }
  .more {
    font-weight: 600;
    color: var(--ink);
  }
  .points {
    flex: 1 1 260px;
  }
  .points input {
    width: 100%;
  }
</style>
