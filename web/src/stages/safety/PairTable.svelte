<script lang="ts">
  import type { SvelteSet } from 'svelte/reactivity';
  import type { FieldOut } from '../../api/client';
  import { shown } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';
  import type { SafePair } from './pairs';

  /** A pair a row, what is set of it in columns. */
  let {
    plant,
    pairs,
    marked,
    id,
    current,
    fieldsOf,
    onset,
    onshow,
  }: {
    plant: PlantStore;
    pairs: SafePair[];
    marked: SvelteSet<string>;
    id: (pair: SafePair) => string;
    current: string;
    fieldsOf: (pair: SafePair) => FieldOut[];
    onset: (pair: SafePair, setting: string, value: unknown, label: string) => Promise<void>;
    onshow: (pair: SafePair) => void;
  } = $props();

  const COLUMNS = [
    ['evaluation', 'Taken'],
    ['kind', 'Contacts'],
    ['discrepancy_ms', 'May differ'],
    ['filter_ms', 'Delay'],
    ['supply', 'Supply'],
    ['acknowledged', 'Good again'],
  ] as const;
  // As an engineer says it at a glance; the whole words stand in the hint.
  const SHORT: Record<string, string> = {
    '1oo2': '1oo2',
    '1oo1': '1oo1',
    pulsed: 'pulsed',
    steady: 'steady',
  };

  const field = (pair: SafePair, key: string) =>
    fieldsOf(pair).find((one) => one.path === `settings.pairs.${pair.told.key}.${key}`);
  function value(pair: SafePair, key: string): unknown {
    const settings = plant.row('modules', pair.module)?.settings as
      { pairs?: Record<string, Record<string, unknown>> } | undefined;
    return settings?.pairs?.[pair.told.key]?.[key];
  }
  const crossed = (pair: SafePair) => (value(pair, 'cross_circuit') ?? true) === true;
  const groups = $derived.by(() => {
    const found: { module: string; head: string; name: string; pairs: SafePair[] }[] = [];
    for (const pair of pairs) {
      const last = found.at(-1);
      if (last?.module === pair.module) last.pairs.push(pair);
      else found.push({ module: pair.module, head: pair.head, name: pair.name, pairs: [pair] });
    }
    return found;
  });
  const at = (pair: SafePair) => [
    ...new Set([...pair.told.parts, ...pair.told.signals].map((one) => one.name)),
  ];
</script>

{#snippet cell(pair: SafePair, key: string, head: string)}
  {@const spec = field(pair, key)}
  {@const own = value(pair, key)}
  {#if spec?.kind === 'choice'}
    <select
      aria-label="{head}, {pair.name} {pair.told.called}"
      class:own={own !== undefined}
      disabled={!plant.mayEdit}
      value={JSON.stringify(own ?? spec.default ?? null)}
      onchange={(event) => void onset(pair, key, JSON.parse(event.currentTarget.value), spec.label)}
    >
      {#if spec.default == null}<option value="null"
          >{key === 'filter_ms' ? `${shown(pair.told.filter_ms)} ms` : '–'}</option
        >{/if}
      {#each spec.choices as choice (JSON.stringify(choice.value))}
        <option value={JSON.stringify(choice.value)} title={choice.label}
          >{SHORT[String(choice.value)] ?? choice.label}</option
        >
      {/each}
    </select>
  {:else if spec?.kind === 'boolean'}
    <input
      type="checkbox"
      aria-label="{head}, {pair.name} {pair.told.called}"
      disabled={!plant.mayEdit}
      checked={(own ?? spec.default) === true}
      onchange={(event) => void onset(pair, key, event.currentTarget.checked, spec.label)}
    />
  {:else if spec}
    <span class="entry"
      ><input
        class="mono"
        class:own={own !== undefined}
        aria-label="{head}, {pair.name} {pair.told.called}"
        disabled={!plant.mayEdit}
        value={String(own ?? spec.default ?? '')}
        onchange={(event) =>
          void onset(pair, key, event.currentTarget.value.trim() || null, spec.label)}
      /><span class="unit">{spec.unit}</span></span
    >
  {/if}
{/snippet}

<table>
  <thead>
    <tr>
      <th><span class="unseen">Marked</span></th><th>Channels</th><th>At it</th>
      {#each COLUMNS as [key, head] (key)}<th>{head}</th>{/each}
      <th
        title="Of inputs whether short and cross circuit are found, of outputs whether they test themselves"
        >Tested</th
      >
      <th
        class="number"
        title="From a change at the terminals to the safe telegram, or back, at most">At most</th
      >
    </tr>
  </thead>
  <tbody>
    {#each groups as group (group.module)}
      <tr class="module"
        ><th colspan="11">{group.name} <span class="quiet">· {group.head}</span></th></tr
      >
      {#each group.pairs as pair (pair.told.key)}
        {@const names = at(pair)}
        <tr class:current={current === id(pair)} onfocusin={() => onshow(pair)}>
          <td
            ><input
              type="checkbox"
              aria-label="Mark {pair.name}, {pair.told.called}"
              checked={marked.has(id(pair))}
              onchange={() => {
                if (!marked.delete(id(pair))) marked.add(id(pair));
              }}
            /></td
          >
          <td class="mono ring" title={pair.told.terminals.join(', ')}
            ><button class="plain" onclick={() => onshow(pair)}
              >{pair.told.inward ? '◂' : '▸'}
              {pair.told.key.slice(2)} + {pair.told.other.slice(2)}</button
            ></td
          >
          <td class="at" title={names.join(', ')}
            >{#if names.length}{names[0]}{#if names.length > 1}<span class="quiet"
                  >, {names.slice(1).join(', ')}</span
                >{/if}{:else}<span class="quiet">free</span>{/if}</td
          >
          {#each COLUMNS as [key, head] (key)}
            <td
              >{#if !(key === 'kind' || key === 'discrepancy_ms') || pair.told.together}{@render cell(
                  pair,
                  key,
                  head,
                )}{/if}</td
            >
          {/each}
          <td
            >{#if pair.told.inward}
              <label class:blind={crossed(pair) && pair.told.sees === 'nothing'}
                ><input
                  type="checkbox"
                  aria-label="Short and cross circuit, {pair.name} {pair.told.called}"
                  disabled={!plant.mayEdit}
                  checked={crossed(pair)}
                  onchange={(event) =>
                    void onset(
                      pair,
                      'cross_circuit',
                      event.currentTarget.checked,
                      'Short and cross circuit',
                    )}
                /></label
              >{:else}{@render cell(pair, 'pulses', 'Test pulses')}{/if}</td
          >
          <td class="mono number">{shown(pair.told.worst_ms, 4)} ms</td>
        </tr>
      {/each}
    {/each}
  </tbody>
</table>

<style>
  table {
    margin-top: var(--s4);
  }
  td,
  th {
    padding: 1px var(--s2);
    white-space: nowrap;
  }
  .module th {
    text-align: left;
    padding-top: var(--s4);
    font-weight: 600;
    color: var(--ink);
  }
  .at {
    max-width: 168px;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .current {
    background: var(--leaf);
    box-shadow: inset 3px 0 0 var(--heather);
  }
  .ring button {
    font-weight: 400;
    padding: 0 var(--s2);
  }
  select {
    max-width: 98px;
    padding-inline: 0;
    font-size: var(--f-note);
    color: var(--ink-2);
  }
  select.own,
  input.own {
    color: var(--ink);
    font-weight: 600;
  }
  .entry {
    display: inline-flex;
    gap: var(--s2);
    align-items: baseline;
  }
  .entry input {
    width: 46px;
    text-align: right;
  }
  .blind {
    outline: 2px solid var(--bracken);
  }
</style>
