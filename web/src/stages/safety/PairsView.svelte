<script lang="ts">
  import { untrack } from 'svelte';
  import { SvelteSet } from 'svelte/reactivity';
  import { got, http, Problem, type Edit, type FieldOut, type Form } from '../../api/client';
  import Empty from '../../kit/Empty.svelte';
  import { plural } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';
  import { safePairs, type SafePair } from './pairs';
  import PairStrip from './PairStrip.svelte';
  import PairTable from './PairTable.svelte';

  /** All safe channels in their pairs: set for one, for those that are marked, for all; and one of them in time. */
  let { plant, chosen }: { plant: PlantStore; chosen: string } = $props();

  const pairs = $derived(safePairs(plant));
  const id = (pair: SafePair) => `${pair.module}.${pair.told.key}`;
  const marked = new SvelteSet<string>();
  let shownId = $state(untrack(() => chosen));
  let problem = $state('');
  const current = $derived(
    pairs.find((pair) => id(pair) === shownId) ??
      pairs.find((pair) => pair.module === shownId) ??
      pairs[0],
  );

  // What can be set of a pair is the same for all modules of a type: asked once for each.
  let forms = $state.raw<Record<string, FieldOut[]>>({});
  const wanted = $derived.by(() => {
    const found: Record<string, string> = {};
    for (const pair of pairs) found[plant.row('modules', pair.module)?.type ?? ''] ??= pair.module;
    return found;
  });
  const types = $derived(JSON.stringify(wanted));
  $effect(() => {
    void types;
    const asked = untrack(() => Object.entries(wanted));
    void Promise.all(
      asked.map(async ([type, module]) => {
        const path = { params: { path: { key: plant.key, row_id: module } } };
        const form: Form = got(await http.GET('/api/plants/{key}/fields/{row_id}', path));
        return [type, form.fields.filter((field) => field.section === 'pair')] as const;
      }),
    )
      .then((found) => (forms = Object.fromEntries(found)))
      // Without an answer there is nothing to set by.
      .catch(() => {});
  });
  const fieldsOf = (pair: SafePair) =>
    (forms[plant.row('modules', pair.module)?.type ?? ''] ?? []).filter(
      (field) => field.channel === pair.told.key,
    );

  $effect(() => {
    const module = current?.module;
    untrack(() => plant.select(...(module ? [module] : [])));
  });

  /** Set for one pair, and with it for all that are marked if it is one of them; inputs and outputs apart. */
  async function set(pair: SafePair, setting: string, value: unknown, label: string) {
    const several = marked.has(id(pair))
      ? pairs.filter((one) => marked.has(id(one)) && one.told.inward === pair.told.inward)
      : [pair];
    const edits = several.map((one): Edit => ({
      kind: 'set',
      ids: [one.module],
      values: { [`settings.pairs.${one.told.key}.${setting}`]: value },
    }));
    const edit: Edit = edits.length === 1 ? edits[0]! : ({ kind: 'batch', edits } as Edit);
    const of =
      several.length > 1 ? plural(several.length, 'pair') : `${pair.name}, ${pair.told.called}`;
    problem = '';
    await plant.edit(edit, `${label} of ${of}`).catch((error: unknown) => {
      problem = error instanceof Problem ? error.detail : 'The server cannot be reached.';
    });
  }
</script>

<header class="row">
  <h1>Safe channels in pairs</h1>
  <span class="quiet">{pairs.length ? plural(pairs.length, 'pair') : ''}</span>
  <span class="wide"></span>
  {#if marked.size}
    <span class="quiet"
      >{plural(marked.size, 'pair')} marked: what is set for one is set for all</span
    >
    <button class="plain" onclick={() => marked.clear()}>Unmark</button>
  {:else if pairs.length > 1}
    <button class="plain" onclick={() => pairs.forEach((pair) => marked.add(id(pair)))}
      >Mark all</button
    >
  {/if}
</header>

{#if !pairs.length}
  <Empty title="No safe module yet">
    <p>
      A safe input or output module on a controller with a safe part has its channels in pairs: two
      contacts that are evaluated as one, or two outputs that switch together.
    </p>
  </Empty>
{:else}
  <PairTable
    {plant}
    {pairs}
    {marked}
    {id}
    current={current ? id(current) : ''}
    {fieldsOf}
    onset={set}
    onshow={(pair) => (shownId = id(pair))}
  />
  {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
  {#if current?.told.inward && current.told.together}
    {#key id(current)}<PairStrip pair={current} />{/key}
  {/if}
{/if}

<style>
  .problem {
    color: var(--bracken);
    margin-top: var(--s2);
  }
</style>
