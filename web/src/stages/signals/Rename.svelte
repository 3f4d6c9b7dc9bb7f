<script lang="ts">
  import type { Edit } from '../../api/client';
  import { focused } from '../../kit/focus';
  import { inked } from '../../kit/inked';
  import { plural } from '../../kit/numbers';
  import { settled } from '../../kit/settled';
  import { COLUMNS, columnOf, valueAt } from './columns';
  import type { SignalWork } from './signalWork.svelte';

  /** Many texts at once: a piece replaced by another, or names made by a pattern; seen before it is done. */
  let { work, onclose }: { work: SignalWork; onclose: () => void } = $props();

  const plant = $derived(work.plant);
  let by = $state<'replace' | 'pattern'>('replace');
  let column = $state('name');
  let find = $state('');
  let replacement = $state('');
  let pattern = $state('{designation}_{channel}');
  let exact = $state(false);
  const TEXTS = ['name', 'tag', 'area', 'unit', 'note'];
  const fields = COLUMNS.filter((c) => TEXTS.includes(c.key) || c.key.startsWith('wiring.'));
  /** Of those chosen, or of all that the filter left where it is only one. */
  const rows = $derived(work.chosen.length > 1 ? work.chosen : work.signals);
  const edit = $derived.by((): Edit | null => {
    const ids = rows.map((row) => row.id);
    if (!ids.length) return null;
    if (by === 'pattern') return pattern ? { kind: 'name-signals', ids, pattern, start: 1 } : null;
    const field = columnOf(column)?.path ?? 'name';
    return find ? { kind: 'rewrite', ids, field, find, by: replacement, case: exact } : null;
  });
  const path = $derived(by === 'pattern' ? 'name' : (columnOf(column)?.path ?? 'name'));

  $effect(() => {
    const wanted = edit;
    if (!wanted) {
      plant.endPreview();
      return;
    }
    return settled(async () => {
      await plant.tryOut(wanted, 'Rename');
      return () => {};
    });
  });
  $effect(() => () => plant.endPreview());

  const changes = $derived(
    (edit ? (plant.preview?.rows ?? []) : []).flatMap(({ table, before, after }) => {
      const [old, now] = [before, after].map((row) => String(valueAt(row, path) ?? ''));
      return table === 'signals' && now !== old ? [{ old: old!, now: now! }] : [];
    }),
  );

  async function make() {
    if (!edit) return;
    const done = await plant
      .edit(edit, `Rename ${plural(changes.length, 'signal')}`)
      .catch(() => null);
    if (done) onclose();
  }

  function key(event: KeyboardEvent) {
    if (event.key === 'Enter') void make();
    else if (event.key === 'Escape') onclose();
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<!-- svelte-ignore a11y_no_static_element_interactions (Enter and Escape of its fields) -->
<div class="rename" onkeydown={key}>
  <div class="row">
    <select bind:value={by} aria-label="How">
      <option value="replace">Replace</option>
      <option value="pattern">Name by pattern</option>
    </select>
    {#if by === 'replace'}
      <input class="mono" bind:value={find} placeholder="this" aria-label="Replace" use:focused />
      <span class="quiet">by</span>
      <input class="mono" bind:value={replacement} placeholder="that" aria-label="By" />
      <span class="quiet">in</span>
      <select bind:value={column} aria-label="In">
        {#each fields as field (field.key)}<option value={field.key}>{field.label}</option>{/each}
      </select>
      <button
        class="plain mono"
        aria-pressed={exact}
        aria-label="Match case"
        title="Match case: Bed is not bed"
        onclick={() => (exact = !exact)}>Aa</button
      >
    {:else}
      <input
        class="mono wide-pattern"
        bind:value={pattern}
        aria-label="Pattern"
        title="In braces: controller, designation, station, channel, field, tag, text, area, location, n and others"
        use:focused
      />
    {/if}
    <span class="quiet">of {plural(rows.length, 'signal')}</span>
    <span class="wide"></span>
    <button class="primary" disabled={!changes.length} onclick={() => void make()}
      >Rename {changes.length}</button
    >
    <button onclick={onclose}>Cancel</button>
  </div>
  {#if edit && plant.refusal}<p class="bad" role="alert">{plant.refusal.detail}</p>
  {:else if changes.length}
    <p class="quiet becomes">
      {#each changes.slice(0, 6) as change, n (n)}
        {@const parts = inked(change.old, change.now)}
        <span class="mono">{change.old} → {parts[0]}<b>{parts[1]}</b>{parts[2]}</span>
      {/each}
      {#if changes.length > 6}<span>and {changes.length - 6} more</span>{/if}
    </p>
  {/if}
</div>

<style>
  [aria-pressed='true'] {
    background: var(--heather-tint);
  }
  .rename {
    border: 1px solid var(--rule);
    padding: var(--s4) var(--s5);
    margin-bottom: var(--s3);
  }
  input {
    width: 120px;
  }
  button,
  .row span {
    white-space: nowrap;
  }
  .wide-pattern {
    width: 280px;
  }
  p {
    margin: var(--s3) 0 0;
  }
  .becomes {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: var(--s1) var(--s5);
    font-size: var(--f-note);
  }
  .becomes b {
    color: var(--heather);
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  .bad {
    color: var(--bracken);
  }
</style>
