<script lang="ts">
  import { untrack } from 'svelte';
  import { focused } from '../../kit/focus';
  import InlineForm from '../../kit/InlineForm.svelte';
  import type { FieldOut } from '../../api/client';
  import { Making } from '../../kit/making.svelte';
  import type { PlantStore } from '../../plant/store.svelte';

  /** A new exchange, with the fields its fieldbus asks for. What is typed is read by the core. */
  let {
    plant,
    connection,
    fields,
    onmade,
    oncancel,
  }: {
    plant: PlantStore;
    connection: string;
    fields: FieldOut[];
    onmade: (id: string) => void;
    oncancel: () => void;
  } = $props();

  let name = $state('');
  let typed = $state<Record<string, string>>({});
  const key = (path: string) => path.replace('settings.', '');
  const entered = (field: FieldOut) => typed[field.path] ?? String(field.value ?? '');

  function edit() {
    const settings: Record<string, unknown> = {};
    for (const field of fields) {
      const text = entered(field).trim();
      const choice = field.choices.find((c) => String(c.value) === text);
      if (text) settings[key(field.path)] = choice ? choice.value : text;
    }
    return {
      kind: 'add-exchange' as const,
      connection,
      name: name || null,
      settings,
      tag: '$exchange',
    };
  }

  const making = new Making(
    untrack(() => plant),
    edit,
  );

  async function make() {
    const made = (await making.make(`Add exchange ${name}`.trim()))?.tags['$exchange'];
    if (made) onmade(made);
  }
</script>

<InlineForm
  make="Add it"
  problem={making.problem?.detail}
  onmake={make}
  onchange={() => making.changed('Add this exchange')}
  oncancel={() => making.leave(oncancel)}
>
  <label>Name <input bind:value={name} placeholder="Measured" use:focused /></label>
  {#each fields as field (field.path)}
    <label title={field.hint}>
      {field.label}
      {#if field.choices.length}
        <select
          value={entered(field)}
          onchange={(event) => (typed[field.path] = event.currentTarget.value)}
        >
          {#each field.choices as choice (String(choice.value))}
            <option value={String(choice.value)}>{choice.label}</option>
          {/each}
        </select>
      {:else}
        <span class="entry">
          <input
            class="mono"
            value={entered(field)}
            class:bad={making.problem?.field === field.path}
            aria-label={field.label}
            oninput={(event) => (typed[field.path] = event.currentTarget.value)}
          />
          <span class="unit">{field.unit === 'registers' ? '' : field.unit}</span>
        </span>
      {/if}
    </label>
  {/each}
</InlineForm>

<style>
  input {
    width: 104px;
  }
  .entry {
    display: flex;
    align-items: center;
    gap: var(--s2);
  }
  .entry input {
    width: 78px;
    text-align: right;
  }
</style>
