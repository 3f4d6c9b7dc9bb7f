<script lang="ts">
  import { got, http, Problem, type Schemas } from '../../api/client';
  import type { operations } from '../../api/generated';

  /** A status or control word, typed in any base, taken apart. */
  let { words }: { words: { kind: string; label: string }[] } = $props();

  type Kind = NonNullable<operations['decode_word']['parameters']['query']>['kind'];
  let chosen = $state('');
  let word = $state('');
  let told = $state.raw<Schemas['DecodedOut'] | null>(null);
  let problem = $state('');
  let count = 0;

  $effect(() => {
    const kind = (chosen || words[0]?.kind) as Kind | undefined;
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

{#if words.length}
  <div class="row">
    <select aria-label="Which word" bind:value={chosen}>
      {#each words as word, n (word.kind)}<option value={n ? word.kind : ''}>{word.label}</option
        >{/each}
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
