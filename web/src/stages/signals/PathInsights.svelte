<script lang="ts">
  import { got, http, Problem, type PartResult, type Schemas } from '../../api/client';
  import { shown } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';

  /** What else follows from a path: what it can miss, what it comes to with another signal, what makes it quicker. */
  let {
    plant,
    signal,
    path,
  }: { plant: PlantStore; signal: string; path: PartResult<'signal.path'> } = $props();

  const row = $derived(plant.row('signals', signal));
  const others = $derived(
    row
      ? plant.list('signals', 'controller', row.controller).filter((one) => one.id !== signal)
      : [],
  );
  let name = $state('');
  let rate = $state('');
  let told = $state.raw<Schemas['Together'] | null>(null);
  let found = $state.raw<Schemas['QuickerOut'] | null>(null);
  let says = $state('');
  let busy = $state(false);

  // Of another path, and of a plant that changed, nothing is known yet.
  $effect(() => {
    void [signal, plant.configured];
    told = found = null;
    says = '';
  });

  const other = $derived(
    others.find((one) => one.name.toLowerCase() === name.trim().toLowerCase()),
  );

  async function ask() {
    says = '';
    if (!other) return void (told = null);
    try {
      const where = { key: plant.key, signal_id: signal };
      const query = { other: other.id, per_s: rate };
      told = got(
        await http.GET('/api/plants/{key}/signals/{signal_id}/together', {
          params: { path: where, query },
        }),
      );
    } catch (error) {
      told = null;
      says = error instanceof Problem ? error.detail : String(error);
    }
  }

  async function quicker() {
    busy = true;
    says = '';
    try {
      const where = { key: plant.key, signal_id: signal };
      const answer = got(
        await http.GET('/api/plants/{key}/signals/{signal_id}/quicker', {
          params: { path: where },
        }),
      );
      found = answer.found ?? null;
      if (!found) says = 'No single setting makes it quicker without another finding.';
    } catch (error) {
      says = error instanceof Problem ? error.detail : String(error);
    } finally {
      busy = false;
    }
  }

  async function mend() {
    if (found) await plant.edit({ ...found.edit, kind: 'set' }, found.label).catch(() => {});
  }

  const hz = (value: number) => (value >= 1 ? shown(value, 3) : shown(value, 2));
  const id = $props.id();
</script>

<!-- svelte-ignore a11y_no_static_element_interactions (keys typed here are not the grid's) -->
<div class="row insights" onkeydown={(event) => event.stopPropagation()}>
  {#if path.seen}
    <span
      title={path.seen.beats
        .map(
          (b) =>
            `${b.one} and ${b.other} both look every ${shown(b.period_ms)} ms: about every ${shown(b.every_s, 2)} s one look is lost or sees the same twice.`,
        )
        .join('\n')}
      >Sees events from <span class="mono">{shown(path.seen.event_ms, 4)}</span> ms
      {#if path.seen.counts_hz}· counts to <span class="mono">{hz(path.seen.counts_hz)}</span> Hz{/if}
      {#if path.seen.beats.length}· beats{/if}</span
    >
  {/if}
  <span class="wide"></span>
  {#if found}
    <button disabled={!plant.mayEdit} onclick={mend}>{found.label}</button>
    <span class="mono">{shown(found.before_ms, 4)} → {shown(found.worst_ms, 4)} ms</span>
  {:else if path.hops.length}
    <button class="plain" disabled={busy} onclick={quicker}
      >{busy ? 'Trying …' : 'What makes it quicker?'}</button
    >
  {/if}
</div>
<!-- svelte-ignore a11y_no_static_element_interactions (keys typed here are not the grid's) -->
<div class="row insights" onkeydown={(event) => event.stopPropagation()}>
  <label
    >Together with <input
      class="mono other"
      list={id}
      placeholder="another signal"
      bind:value={name}
      onchange={ask}
    /></label
  >
  <datalist {id}>
    {#each name.length > 1 ? others
          .filter((one) => one.name.toLowerCase().includes(name.toLowerCase()))
          .slice(0, 20) : [] as one (one.id)}<option value={one.name}></option>{/each}
  </datalist>
  {#if told?.kind === 'reaction'}
    <span aria-live="polite"
      >from input to output: typical <span class="mono">{shown(told.typical_ms, 4)}</span>, worst
      <b class="mono">{shown(told.worst_ms, 4)}</b> ms{told.program
        ? ` through ${told.program}${told.waits ? ', what its function blocks wait for not counted' : ''}`
        : ', if a program moves it'}</span
    >
  {:else if told}
    <span aria-live="polite"
      >taken up to <b class="mono">{shown(told.skew_ms ?? 0, 4)}</b> ms apart</span
    >
    <label
      >changing by <input class="mono rate" bind:value={rate} onchange={ask} />
      {told.unit}/s</label
    >
    {#if told.error != null}<span
        >off by <b class="mono">{shown(told.error, 3)}</b> {told.unit}</span
      >{/if}
  {/if}
  {#if says}<span class="quiet" role="status">{says}</span>{/if}
</div>

<style>
  .insights {
    height: 28px;
    gap: var(--s4);
    font-size: var(--f-note);
    white-space: nowrap;
    overflow: hidden;
  }
  label {
    display: flex;
    flex-direction: row;
    align-items: center;
    gap: var(--s2);
  }
  .other {
    width: 150px;
  }
  .rate {
    width: 54px;
  }
  input {
    height: 24px;
  }
</style>
