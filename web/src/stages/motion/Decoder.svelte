<script lang="ts">
  import { got, http, Problem, type Schemas } from '../../api/client';

  /** A status or control word, typed in any base, taken apart. */
  let { base }: { base: string } = $props();

  type Kind = 'cia402-status' | 'cia402-control' | 'zsw1' | 'stw1' | 'cip-state';
  const KINDS: Record<string, [Kind, string][]> = {
    cia402: [
      ['cia402-status', 'Status word'],
      ['cia402-control', 'Control word'],
    ],
    'profidrive-1': [
      ['zsw1', 'ZSW1'],
      ['stw1', 'STW1'],
    ],
    'profidrive-9': [
      ['zsw1', 'ZSW1'],
      ['stw1', 'STW1'],
    ],
    'cip-21-71': [['cip-state', 'Drive state']],
  };
  const kinds = $derived(KINDS[base] ?? []);
  let chosen = $state<Kind | ''>('');
  let word = $state('');
  let told = $state.raw<Schemas['DecodedOut'] | null>(null);
  let problem = $state('');
  let count = 0;

  $effect(() => {
    const kind = chosen || kinds[0]?.[0];
    const typed = word.trim();
    const mine = ++count;
    told = null;
    problem = '';
    if (!typed || !kind) return;
    http
      .GET('/api/decode', { params: { query: { kind, word: typed } } })
      .then((answer) => {
        if (mine === count) told = got(answer);
      })
      .catch((error: unknown) => {
        if (mine === count) problem = error instanceof Problem ? error.detail : '';
      });
  });
</script>

{#if kinds.length}
  <div class="row">
    <select aria-label="Which word" bind:value={chosen}>
      {#each kinds as [key, label], n (key)}<option value={n ? key : ''}>{label}</option>{/each}
    </select>
    <input class="mono" aria-label="Word to take apart" placeholder="16#0237" bind:value={word} />
    {#if told}
      <span
        >{#if told.state}<b>{told.state}</b> ·{/if}
        <span class="mono">{told.hexadecimal}</span>
        <span class="quiet">{told.bits.join(', ')}</span></span
      >
    {:else if problem}<span class="problem">{problem}</span>
    {:else}<span class="quiet">a word in any base, taken apart</span>{/if}
  </div>
{/if}

<style>
  .row {
    gap: var(--s4);
    margin-top: var(--s3);
    align-items: baseline;
  }
  input {
    width: 110px;
  }
  select {
    width: auto;
    flex: none;
  }
  .problem {
    color: var(--bracken);
  }
</style>
