<script lang="ts">
  /** A state as shape, word and colour; good stays quiet. */
  let {
    state,
    word = '',
  }: { state: 'good' | 'warning' | 'error' | 'note' | 'idle' | 'pending'; word?: string } =
    $props();
</script>

<span class="mark {state}">
  <svg viewBox="0 0 12 12" width="12" height="12" aria-hidden="true">
    {#if state === 'error'}
      <rect x="0.5" y="0.5" width="11" height="11" rx="1" fill="currentColor" />
      <path d="M3.3 3.3l5.4 5.4M8.7 3.3L3.3 8.7" stroke="var(--leaf)" stroke-width="1.8" />
    {:else if state === 'warning'}
      <path d="M6 1 11.5 11H.5Z" fill="currentColor" />
    {:else if state === 'good'}
      <circle cx="6" cy="6" r="2.5" fill="currentColor" />
    {:else if state === 'pending'}
      <rect
        x="1"
        y="1"
        width="10"
        height="10"
        fill="none"
        stroke="currentColor"
        stroke-dasharray="2 1.5"
      />
    {:else if state === 'note'}
      <path d="M2 6h8" stroke="currentColor" stroke-width="2" />
    {:else}
      <circle cx="6" cy="6" r="4.5" fill="none" stroke="currentColor" stroke-width="1.6" />
    {/if}
  </svg>
  {#if word}<span title={word.length > 16 ? word : undefined}>{word}</span>{/if}
</span>

<style>
  .mark {
    display: inline-flex;
    align-items: center;
    gap: var(--s2);
    white-space: nowrap;
  }
  .mark svg {
    flex: none;
  }
  .error {
    color: var(--bracken);
  }
  .warning {
    color: var(--gorse);
  }
  .good svg {
    color: var(--lichen);
  }
  .note,
  .idle {
    color: var(--ink-2);
  }
  .pending {
    color: var(--heather);
  }
</style>
