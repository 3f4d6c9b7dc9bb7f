<script lang="ts">
  import { Problem } from '../api/client';
  import type { PlantStore } from '../plant/store.svelte';
  import { focused } from './focus';
  import LiveValue from './LiveValue.svelte';
  import { live } from './numbers';

  /** A live value that a click writes: a bit is turned, a number typed and sent with Enter. */
  let { plant, signal }: { plant: PlantStore; signal: string } = $props();
  let text = $state<string | null>(null);
  let problem = $state('');

  const row = $derived(plant.row('signals', signal));
  const now = $derived(plant.bench.running ? plant.bench.values.get(signal) : undefined);

  function begin() {
    if (row?.type === 'BOOL') void send(!now?.value);
    else text = now?.value == null ? '' : live(now.value).replace('−', '-').replace(/\s/g, '');
  }

  async function send(value: boolean | string) {
    try {
      await plant.bench.command({ command: 'write', target: signal, value });
      problem = '';
      text = null;
    } catch (error) {
      problem = error instanceof Problem ? error.detail : 'The server cannot be reached.';
    }
  }

  function key(event: KeyboardEvent) {
    event.stopPropagation();
    if (event.key === 'Enter' && text !== null) void send(text);
    if (event.key === 'Escape') text = null;
  }
</script>

{#if text !== null}
  <input
    class="mono"
    use:focused
    bind:value={text}
    aria-label="Write {row?.name}"
    aria-invalid={problem !== ''}
    title={problem}
    onkeydown={key}
    onblur={() => (text = null)}
  />
{:else if now && plant.mayEdit}
  <button class="plain" onclick={begin} title="Write {row?.name}"
    ><LiveValue {plant} {signal} /></button
  >{#if row?.unit}<span class="unit">{row.unit}</span>{/if}
{:else}<LiveValue {plant} {signal} unit={row?.unit ?? ''} />{/if}
{#if problem}<span class="problem" role="alert">{problem}</span>{/if}

<style>
  input {
    width: 92px;
    height: 22px;
    text-align: right;
  }
  button {
    padding: 0 var(--s2);
    height: 22px;
    border: 0;
    border-bottom: 1px dashed var(--tarn);
    border-radius: 0;
  }
  /* Rows of a table cut what stands out of them. */
  button:focus-visible {
    outline-offset: -2px;
  }
  .unit {
    margin-left: var(--s2);
  }
  .problem {
    display: block;
    color: var(--bracken);
    font-size: var(--f-small);
    white-space: normal;
  }
</style>
