<script lang="ts">
  import { inked } from '../../../kit/inked';
  import { RowsInView } from '../../../kit/rows.svelte';
  import type { FileWork } from './fileWork.svelte';

  /** The signals that a file has otherwise, one a line: what is there, what it would be, and whether it is taken. */
  let { work }: { work: FileWork } = $props();

  const ROW = 28;
  let grid = $state<HTMLDivElement>();
  const view = new RowsInView(
    () => work.shown.length,
    () => ROW,
  );
  const visible = $derived(work.shown.slice(view.first, view.end));
  const allTaken = $derived(work.shown.every((one) => !work.left.has(one.key)));
</script>

<div class="row tools">
  <input
    bind:value={work.words}
    placeholder="Filter: kind:new  column:unit"
    aria-label="Filter what differs"
  />
  <span class="mono quiet">{work.shown.length}</span>
  <label class="row"
    ><input
      type="checkbox"
      checked={allTaken}
      onchange={(event) => work.toggleShown(event.currentTarget.checked)}
    /> all shown</label
  >
</div>
<div
  class="grid"
  bind:this={grid}
  bind:clientHeight={view.height}
  onscroll={() => (view.scrolled = grid?.scrollTop ?? 0)}
>
  <div style:height="{view.full}px" class="sheet" role="list">
    {#each visible as one, i (one.key)}
      <div
        class="line"
        class:left={work.left.has(one.key)}
        style:top="{view.top(view.first + i)}px"
        role="listitem"
      >
        <input
          type="checkbox"
          aria-label="Take {one.key}"
          checked={!work.left.has(one.key)}
          onchange={(event) => work.toggle(one.key, event.currentTarget.checked)}
        />
        <span class="mono quiet right">{one.row}</span>
        <span class="mono name" title={one.key}>{one.key}</span>
        <span class="quiet">{one.kind}</span>
        <span
          class="what"
          title={one.changes
            .map((c) => `${c.heading}: ${c.old || '—'} → ${c.new || '—'}`)
            .join('\n')}
        >
          {#each one.changes as change, n (n)}
            {@const [before, other, behind] = inked(change.old, change.new)}
            <span class="quiet">{change.heading}</span>
            {#if change.old}<s>{change.old}</s>{/if}
            <b
              >{before}{#if other}<mark class:all={!change.old}>{other}</mark
                >{/if}{behind}{change.new ? '' : '—'}</b
            >
          {/each}
        </span>
      </div>
    {/each}
  </div>
</div>

<style>
  .tools {
    margin: var(--s2) 0;
  }
  .tools > input {
    width: 260px;
  }
  .grid {
    flex: 1 1 200px;
    min-height: 160px;
    overflow-y: auto;
    border-top: 1px solid var(--rule-2);
  }
  .sheet {
    position: relative;
  }
  .line {
    position: absolute;
    left: 0;
    right: 0;
    height: 28px;
    display: grid;
    grid-template-columns: 20px 44px minmax(160px, 1fr) 60px minmax(200px, 2.4fr);
    gap: 0 var(--s4);
    align-items: center;
    border-bottom: 1px solid var(--rule);
    white-space: nowrap;
  }
  .left .what,
  .left .name {
    opacity: 0.55;
  }
  .right {
    text-align: right;
  }
  .name,
  .what {
    overflow: hidden;
    text-overflow: ellipsis;
  }
  b {
    font-weight: 600;
    margin-right: var(--s3);
  }
  mark {
    background: var(--heather-tint);
    color: inherit;
  }
  .all {
    background: none;
  }
</style>
