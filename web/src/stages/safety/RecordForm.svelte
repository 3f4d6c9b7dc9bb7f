<script lang="ts">
  import { untrack } from 'svelte';
  import { http, type Edit, type Schemas } from '../../api/client';
  import { today } from '../../kit/days';
  import { focused } from '../../kit/focus';
  import InlineForm from '../../kit/InlineForm.svelte';
  import { Making } from '../../kit/making.svelte';
  import { shown } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';
  import type { Due } from './safetyWork.svelte';

  /** A record more: of ten stops or more, of a test, of a part that was replaced. */
  let {
    plant,
    due,
    stops,
    onleave,
  }: {
    plant: PlantStore;
    due: Due;
    /** What the bench saw of this axis, if anything. */
    stops: Schemas['StopsLiveOut'] | undefined;
    onleave: () => void;
  } = $props();

  const asked = untrack(() => due);
  let at = $state(today());
  let by = $state('');
  let where = $state<'site' | 'bench'>('site');
  let result = $state<'passed' | 'failed'>('passed');
  let text = $state('');
  let told = $state({ speed: '', load: '', direction: '', started_by: '', instrument: '' });
  const CONDITIONS = [
    ['speed', 'Speed'],
    ['load', 'Load'],
    ['direction', 'Direction'],
    ['started_by', 'Stopped by'],
    ['instrument', 'Instrument'],
  ] as const;

  /** As they are typed or pasted: a comma within a number is a decimal one, all else parts them. */
  const readings = $derived(
    text
      .trim()
      .split(/[\s;]+|,(?=\s)/)
      .filter(Boolean)
      .map((one) => Number(one.replace(',', '.'))),
  );
  const unread = $derived(readings.some((one) => !Number.isFinite(one)));
  let comes = $state('');
  $effect(() => {
    const given = readings;
    if (asked.kind !== 'stop-time' || !given.length || unread) {
      comes = unread ? 'Not all of this is a number.' : '';
      return;
    }
    let gone = false;
    void http
      .POST('/api/compute/{name}', {
        params: { path: { name: 'stop-time' } },
        body: { readings_ms: given } as never,
      })
      .then(({ data, error }) => {
        if (gone) return;
        const made = data as { value_ms: number; mean_ms: number; s_ms: number } | undefined;
        const refused = error as { refused?: string } | undefined;
        comes = made
          ? `${given.length} readings: mean ${shown(made.mean_ms, 4)} ms, deviation ${shown(made.s_ms, 3)} ms; ${shown(made.value_ms, 4)} ms count.`
          : (refused?.refused ?? '');
      });
    return () => {
      gone = true;
    };
  });

  const making = untrack(
    () =>
      new Making(plant, (): Edit => ({
        kind: 'add-proof',
        of: asked.of,
        what: asked.kind,
        where,
        at,
        by,
        result: asked.kind === 'test' ? result : '',
        note: '',
        fault: '',
        stop:
          asked.kind === 'stop-time'
            ? { readings_ms: readings.filter((one) => Number.isFinite(one)), ...told }
            : null,
      })),
  );
  const label = () => `Record ${asked.name}: ${asked.label.toLowerCase()}`;

  async function make() {
    if (await making.make(label())) onleave();
  }
  function fromBench() {
    const seen = stops?.seen ?? [];
    text = seen.map((one) => String(one.ms)).join(' ');
    where = 'bench';
    const first = seen[0];
    told = {
      ...told,
      speed: first ? shown(first.speed, 4) : '',
      direction: 'there and back',
      started_by: 'its safety function',
      instrument: 'the bench, every 2 ms',
    };
  }
</script>

<InlineForm
  make="Record it"
  problem={making.problem?.detail}
  onmake={make}
  oncancel={() => making.leave(onleave)}
>
  {#if asked.kind === 'stop-time'}
    <label class="readings"
      >Readings of {asked.name}, ms
      <textarea rows="2" bind:value={text} use:focused placeholder="ten at least, as pasted"
      ></textarea></label
    >
    {#each CONDITIONS as [key, words] (key)}
      <label class="short">{words}<input bind:value={told[key]} /></label>
    {/each}
  {:else if asked.kind === 'test'}
    <label
      >Result of {asked.name}
      <select bind:value={result} use:focused>
        <option value="passed">passed</option>
        <option value="failed">failed</option>
      </select></label
    >
  {/if}
  <label class="short">Done on<input type="date" bind:value={at} required /></label>
  <label class="short">Done by<input bind:value={by} /></label>
  <label
    >Where
    <select bind:value={where}>
      <option value="site">on site</option>
      <option value="bench">on the bench, a rehearsal</option>
    </select></label
  >
  {#if asked.kind === 'stop-time' && stops?.seen.length}
    <button type="button" class="plain" onclick={fromBench}
      >Take the bench's {stops.seen.length}</button
    >
  {/if}
  {#if comes}<p class="quiet" role="status">{comes}</p>{/if}
</InlineForm>

<style>
  .readings {
    flex: 1 1 100%;
  }
  textarea {
    width: 100%;
    font-family: var(--mono);
    color: var(--ink);
    resize: vertical;
  }
  .short :is(input) {
    width: 120px;
  }
  p {
    flex-basis: 100%;
  }
</style>
