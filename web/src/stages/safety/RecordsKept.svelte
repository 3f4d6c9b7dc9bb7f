<script lang="ts">
  import type { PartResult } from '../../api/client';
  import { shown } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';

  type RecordTold = PartResult<'situation.walk'>['outputs'][number]['records'][number];

  /** Records that were made, each with what it is of; one that does not hold is voided with a reason, and stays. */
  let { plant, lines }: { plant: PlantStore; lines: { name: string; record: RecordTold }[] } =
    $props();

  let voiding = $state('');
  let reason = $state('');
  const WORDS: Record<string, string> = {
    'stop-time': 'stop time',
    test: 'test',
    replaced: 'replaced',
    walk: 'walked',
    fault: 'fault tried',
  };
  const aside = (record: RecordTold) =>
    [
      record.by,
      record.where === 'bench' ? 'on the bench' : '',
      record.changed ? 'changed since' : '',
      record.voided ? `void: ${record.voided}` : '',
    ]
      .filter(Boolean)
      .join(' · ');

  async function voidIt(id: string) {
    const made = await plant
      .edit({ kind: 'void-proof', id, reason }, 'Void a record')
      .catch(() => null);
    if (made) [voiding, reason] = ['', ''];
  }
</script>

<ul aria-label="Records kept">
  {#each lines as { name, record } (record.id)}
    <li class:voided={record.voided || record.changed || record.where === 'bench'}>
      <span class="mono">{record.at}</span>
      <span>{name}, {WORDS[record.kind]}</span>
      <span class="mono"
        >{record.value_ms != null
          ? `${shown(record.value_ms, 4)} ms of ${record.readings} (mean ${shown(record.mean_ms ?? 0, 4)}, deviation ${shown(record.deviation_ms ?? 0, 3)})`
          : record.result}</span
      >
      <span class="quiet">{aside(record)}</span>
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
            <button type="button" class="plain" onclick={() => (voiding = '')}>Cancel</button>
          </form>
        {:else}
          <button
            class="plain"
            aria-label="Void the record of {name} of {record.at}"
            onclick={() => ([voiding, reason] = [record.id, ''])}>Void …</button
          >
        {/if}
      {/if}
    </li>
  {/each}
</ul>

<style>
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
