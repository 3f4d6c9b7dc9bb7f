<script lang="ts">
  import { shown } from '../../kit/numbers';
  import type { Piece } from './pieces';

  /** Stretches of time as bars in a drawing; what runs on without supply is lower. */
  let {
    pieces,
    x,
    top,
    height,
    words = false,
  }: {
    pieces: Piece[];
    /** Where a moment lies. */
    x: (ms: number) => number;
    top: number;
    height: number;
    words?: boolean;
  } = $props();

  const low = (piece: Piece) => piece.kind === 'stop' || piece.kind === 'delay';
  const wide = (piece: Piece) => x(piece.to) - x(piece.from);
</script>

{#each pieces as piece, n (n)}
  <rect
    class={piece.kind}
    x={x(piece.from)}
    y={top + (low(piece) ? 3 : 0)}
    width={Math.max(wide(piece) - 0.5, piece.to > piece.from ? 0.8 : 0)}
    height={height - (low(piece) ? 6 : 0)}><title>{piece.says}</title></rect
  >
  {#if words && wide(piece) > 42}
    <text
      class:over={!low(piece) && piece.kind !== 'fault'}
      x={(x(piece.from) + x(piece.to)) / 2}
      y={low(piece) ? top + 1 : top + 11}>{shown(piece.to - piece.from, 5)}</text
    >
  {/if}
{/each}

<style>
  rect {
    fill: var(--tarn);
  }
  .link {
    fill: var(--ink-3);
  }
  .logic {
    fill: var(--heather);
  }
  .fault {
    fill: var(--gorse-tint);
    stroke: var(--gorse);
  }
  .delay {
    fill: var(--tarn-tint);
    stroke: var(--tarn);
  }
  .stop {
    fill: var(--ink-2);
  }
  text {
    font: var(--f-tiny) var(--mono);
    fill: var(--ink);
    text-anchor: middle;
  }
  text.over {
    fill: var(--on-strong);
  }
</style>
