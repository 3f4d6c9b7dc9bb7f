<script lang="ts">
  import type { Grouping } from './grouping';

  /** The heading of a group of rows: what they have in common, how many they are; a click folds them away. */
  let {
    name,
    count,
    folded,
    grouping,
    type,
    top,
    onfold,
  }: {
    name: string;
    count: number;
    folded: boolean;
    grouping: Grouping;
    /** Of a variable. */
    type: string;
    top: number;
    onfold: () => void;
  } = $props();

  const NAMELESS: Record<Grouping, string> = {
    '': '',
    controller: '',
    station: 'linked to nothing',
    area: 'in no area',
    variable: 'single signals',
  };
</script>

<div class="head" style:top="{top}px" role="row">
  <span role="gridcell">
    <button
      class="plain"
      tabindex="-1"
      aria-expanded={!folded}
      title="{folded ? 'Unfold' : 'Fold'}; Alt+← folds the group of the cursor, Alt+→ unfolds all"
      onclick={onfold}
      ><span aria-hidden="true">{folded ? '▸' : '▾'}</span>
      <b class:mono={grouping === 'variable' && name}>{name || NAMELESS[grouping]}</b></button
    >
    {#if type}<span class="mono quiet">: {type}</span>{/if}
    <span class="quiet count">{count}</span>
  </span>
</div>

<style>
  .head {
    position: absolute;
    left: 0;
    right: 0;
    height: 28px;
    line-height: 27px;
    border-bottom: 1px solid var(--rule-2);
    overflow: hidden;
    white-space: nowrap;
  }
  button {
    padding: 0 var(--s2);
    color: var(--ink);
    line-height: 27px;
  }
  .count {
    margin-left: var(--s3);
    font-size: var(--f-note);
  }
</style>
