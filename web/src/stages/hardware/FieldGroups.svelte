<script lang="ts">
  import type { PartResult } from '../../api/client';
  import { shown } from '../../kit/numbers';
  import type { Box } from './layout';

  /** The field supply groups as brackets over the modules they feed, with load against limit and fuse. */
  let {
    field,
    head,
    placed,
    slots,
    width,
  }: {
    field: PartResult<'rail.field'>;
    head: Box;
    placed: Box[];
    /** Slot number of each place, in the order of `placed`. */
    slots: number[];
    width: number;
  } = $props();

  const drawn = $derived(
    field.groups.map((group) => {
      const inside = placed.filter((_, n) => {
        const slot = slots[n] ?? 0;
        return slot >= group.first_slot && slot <= group.last_slot;
      });
      const begin = group.first_slot === 0 ? head.x : (inside[0]?.x ?? head.x);
      const last = inside.at(-1) ?? head;
      const end = Math.min(last.x + last.width, width);
      return { group, begin, end, limit: group.least_ma, over: group.over };
    }),
  );
  const ampere = (ma: number) => shown(ma / 1000, 3);
</script>

<svg {width} height="26" role="img" aria-label="Field supply groups">
  {#each drawn as { group, begin, end, limit, over } (group.begins_at)}
    <g class:over>
      <path d="M{begin + 1} 25V17H{end - 1}V25" />
      {#if limit != null && end > begin}
        <rect x={begin + 1} y="14" width={end - begin - 2} height="3" class="rest" />
        <rect
          x={begin + 1}
          y="14"
          width={Math.max(Math.min(group.counted_ma / limit, 1) * (end - begin - 2), 0)}
          height="3"
          class="load"
        />
      {/if}
      <text x={begin + 3} y="10"
        >field {ampere(group.counted_ma)}{limit != null ? ` of ${ampere(limit)}` : ''} A{group.fuse_ma
          ? `, fuse ${ampere(group.fuse_ma)} A`
          : ''}{over ? ': too much' : ''}</text
      >
    </g>
  {/each}
</svg>

<style>
  svg {
    display: block;
  }
  path {
    fill: none;
    stroke: var(--ink-2);
  }
  .rest {
    fill: var(--sunk);
  }
  .load {
    fill: var(--lichen);
  }
  text {
    font: var(--f-small) var(--mono);
    fill: var(--ink-2);
  }
  .over path {
    stroke: var(--bracken);
  }
  .over .load {
    fill: var(--bracken);
  }
  .over text {
    fill: var(--bracken);
    font-weight: 600;
  }
</style>
