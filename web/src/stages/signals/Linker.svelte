<script lang="ts">
  import PlacePicker from '../../kit/PlacePicker.svelte';
  import type { Signal } from './signalRows.svelte';
  import type { SignalWork } from './signalWork.svelte';

  /** Below the signal whose link is edited: to which place it leads. */
  let {
    work,
    signal,
    top,
    oncommit,
    oncancel,
  }: {
    work: SignalWork;
    signal: Signal;
    top: number;
    oncommit: () => void;
    oncancel: () => void;
  } = $props();
</script>

<div
  class="linker"
  style:top="{top}px"
  role="row"
  aria-label="Link {signal.name}"
  tabindex="-1"
  onkeydown={(event) => {
    event.stopPropagation();
    if (event.key === 'Escape') oncancel();
  }}
>
  <div role="gridcell" class="row">
    <PlacePicker
      plant={work.plant}
      controller={signal.controller}
      bind:place={work.linkPlace}
      bind:key={work.linkKey}
      focus
      onenter={oncommit}
    />
    <button class="primary" onclick={oncommit}>Link</button>
    <button onclick={oncancel}>Cancel</button>
  </div>
</div>

<style>
  .linker {
    position: absolute;
    left: 190px;
    z-index: 5;
    background: var(--leaf);
    border: 1px solid var(--heather);
    padding: var(--s4) var(--s4);
    display: flex;
    gap: var(--s4);
    align-items: end;
  }
</style>
