<script lang="ts">
  import type { Preview } from '../api/client';
  import { shown } from './numbers';

  /** One figure before → after; what crosses its limit stands out by word and colour. */
  let { line }: { line: Preview['figures'][number] } = $props();
</script>

<div class="delta" class:over={line.over} class:better={line.improved}>
  <span class="label">{line.label}</span>
  <span class="mono before">{shown(line.before, 4)}</span>
  <span aria-hidden="true">→</span>
  <span class="mono after">{shown(line.after, 4)}</span>
  <span class="unit">{line.unit}</span>
  {#if line.over && line.limit != null}
    <span class="limit"
      >{line.crossed ? 'crosses' : 'beyond'} its limit of {shown(line.limit)} {line.unit}</span
    >
  {/if}
</div>

<style>
  .delta {
    display: grid;
    grid-template-columns: 1fr auto 14px auto minmax(16px, auto);
    gap: 0 var(--s2);
    align-items: baseline;
    padding: var(--s1) 0;
  }
  .label {
    color: var(--ink-2);
    overflow-wrap: anywhere;
  }
  .before {
    text-align: right;
  }
  .after {
    text-align: right;
    font-weight: 600;
    min-width: 34px;
  }
  .over .after,
  .limit {
    color: var(--bracken);
  }
  .better .after {
    color: var(--lichen);
  }
  .limit {
    grid-column: 1 / -1;
    font-size: var(--f-note);
    text-align: right;
  }
</style>
