<script lang="ts">
  import { untrack } from 'svelte';
  import Mark from '../../kit/Mark.svelte';
  import { shown } from '../../kit/numbers';
  import RecordsKept from './RecordsKept.svelte';
  import RecordForm from './RecordForm.svelte';
  import { SafetyLive } from './safetyLive.svelte';
  import type { Due, SafetyWork } from './safetyWork.svelte';

  /** What has to be measured, tested and replaced again and again, when it was and when it is due; and all records. */
  let { work }: { work: SafetyWork } = $props();

  const plant = untrack(() => work.plant);
  const live = untrack(() => new SafetyLive(plant, work.current?.controller ?? ''));
  $effect(() => live.follow());
  const own = $derived(work.current);
  const told = $derived(own ? plant.part('function.proofs', own.id) : undefined);
  const bench = $derived(plant.bench.running ? live.told : null);
  let recording = $state<Due | null>(null);

  const parts = $derived(
    work.parts.flatMap((part) => {
      const records = told?.records[part.id] ?? [];
      return records.length ? [{ part, records }] : [];
    }),
  );
  const STATES = {
    overdue: 'error',
    soon: 'warning',
    never: 'warning',
    changed: 'error',
    'in time': 'good',
    unknown: 'good',
  } as const;
  const key = (due: Due) => `${due.part} ${due.kind}`;
</script>

{#if told?.due.length}
  <section aria-label="Records">
    <div class="row head">
      <h2>Records, and what is due</h2>
      <span class="quiet">Only what is done on site counts.</span>
    </div>
    <table aria-label="Due">
      <thead
        ><tr
          ><th>Part</th><th>What</th><th>Every</th><th>Last</th><th>Due</th><th>State</th><th
            >Bench</th
          ><th>More</th></tr
        ></thead
      >
      <tbody>
        {#each told.due as due (key(due))}
          {@const stops = due.kind === 'stop-time' ? bench?.stops[due.part] : undefined}
          <tr>
            <td
              ><button class="plain" onclick={() => work.open(own?.id ?? '', due.part)}
                >{due.name}</button
              ></td
            >
            <td>{due.label}</td>
            <td>{due.every}</td>
            <td class="mono">{due.last || '–'}</td>
            <td class="mono">{due.due || '–'}</td>
            <td
              ><Mark
                state={STATES[due.state]}
                word={due.state === 'never'
                  ? 'never done'
                  : due.state === 'changed'
                    ? 'changed since'
                    : due.state}
              /></td
            >
            <td>
              {#if stops?.measuring}
                <span class="mono">{stops.seen.length} of 10</span>
                <button
                  class="plain"
                  onclick={() => void live.do(due.part, 'measure', false)}
                  aria-label="End measuring {due.name}">End</button
                >
              {:else if stops && plant.mayEdit}
                <button
                  class="plain"
                  title="Started, brought to speed, stopped by a demand, ten times in turn"
                  aria-label="Measure ten stops of {due.name} on the bench"
                  onclick={() => void live.do(due.part, 'measure', true)}>Ten stops</button
                >{#if stops.seen.length}
                  <span class="mono"
                    >{shown(Math.max(...stops.seen.map((one) => one.ms)), 4)} ms</span
                  >{/if}
              {/if}
            </td>
            <td
              >{#if plant.mayEdit}<button
                  class="plain"
                  aria-label="Record {due.name}: {due.label}"
                  onclick={() => (recording = due)}>Record …</button
                >{/if}</td
            >
          </tr>
          {#if stops?.problem}
            <tr><td></td><td colspan="7" class="bad">{stops.problem}</td></tr>
          {/if}
          {#if recording && key(recording) === key(due)}
            <tr
              ><td colspan="8"
                >{#key key(due)}<RecordForm
                    {plant}
                    {due}
                    {stops}
                    onleave={() => (recording = null)}
                  />{/key}</td
              ></tr
            >
          {/if}
        {/each}
      </tbody>
    </table>
    {#if parts.length}
      <RecordsKept
        {plant}
        lines={parts.flatMap(({ part, records }) =>
          records.map((record) => ({ name: part.name, record })),
        )}
      />
    {/if}
  </section>
{/if}

<style>
  section {
    margin-top: var(--s5);
  }
  .head {
    align-items: baseline;
  }
  th,
  td {
    padding: 1px var(--s3);
    white-space: nowrap;
    text-align: left;
  }
  td:first-child,
  th:first-child {
    padding-left: 0;
  }
  td:first-child button {
    font-weight: 400;
    padding-left: 0;
    max-width: 150px;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .bad {
    color: var(--bracken);
    white-space: normal;
  }
</style>
