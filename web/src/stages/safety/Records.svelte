<script lang="ts">
  import { untrack } from 'svelte';
  import Mark from '../../kit/Mark.svelte';
  import { shown } from '../../kit/numbers';
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
  let voiding = $state('');
  let reason = $state('');

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
  const WORDS: Record<string, string> = {
    'stop-time': 'stop time',
    test: 'test',
    replaced: 'replaced',
    walk: 'walked',
    fault: 'fault tried',
  };

  async function voidIt(id: string) {
    const made = await plant
      .edit({ kind: 'void-proof', id, reason }, 'Void a record')
      .catch(() => null);
    if (made) [voiding, reason] = ['', ''];
  }
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
      <ul aria-label="Records kept">
        {#each parts as { part, records } (part.id)}
          {#each records as record (record.id)}
            <li class:voided={record.voided || record.where === 'bench'}>
              <span class="mono">{record.at}</span>
              <span>{part.name}, {WORDS[record.kind]}</span>
              <span class="mono"
                >{record.value_ms != null
                  ? `${shown(record.value_ms, 4)} ms of ${record.readings} (mean ${shown(record.mean_ms ?? 0, 4)}, deviation ${shown(record.deviation_ms ?? 0, 3)})`
                  : record.result}</span
              >
              <span class="quiet"
                >{record.by}{record.where === 'bench' ? ' · on the bench' : ''}{record.changed
                  ? ' · changed since'
                  : ''}{record.voided ? ` · void: ${record.voided}` : ''}</span
              >
              {#if plant.mayEdit && !record.voided}
                {#if voiding === record.id}
                  <form
                    onsubmit={(event) => {
                      event.preventDefault();
                      void voidIt(record.id);
                    }}
                  >
                    <label>Why it does not hold <input bind:value={reason} required /></label>
                    <button>Void it</button>
                    <button type="button" class="plain" onclick={() => (voiding = '')}
                      >Cancel</button
                    >
                  </form>
                {:else}
                  <button
                    class="plain"
                    aria-label="Void the record of {part.name} of {record.at}"
                    onclick={() => ([voiding, reason] = [record.id, ''])}>Void …</button
                  >
                {/if}
              {/if}
            </li>
          {/each}
        {/each}
      </ul>
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
  ul {
    list-style: none;
    margin: var(--s4) 0 0;
    padding: 0;
  }
  li {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s2) var(--s4);
    align-items: baseline;
    min-height: 26px;
  }
  .voided {
    color: var(--ink-2);
  }
  li > button,
  li > form {
    margin-left: auto;
  }
  form {
    display: flex;
    gap: var(--s3);
    align-items: baseline;
  }
</style>
