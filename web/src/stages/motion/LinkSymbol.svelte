<script lang="ts">
  /** A link of a chain as it is drawn on the shaft, 64 × 44; the shaft goes through the middle, behind it. */
  let { kind }: { kind: string } = $props();
  const TEETH = [0, 1, 2, 3, 4, 5, 6, 7].map((n) => (n * Math.PI) / 4);
</script>

<svg width="64" height="44" viewBox="0 0 64 44" aria-hidden="true">
  <line
    class="shaft"
    x1={kind === 'motor' ? 44 : 0}
    x2={kind === 'load' ? 12 : 64}
    y1="22"
    y2="22"
  />
  {#if kind === 'stepper'}
    <rect x="10" y="6" width="34" height="32" />
    <path d="M12,12 h30 M12,18 h30 M12,26 h30 M12,32 h30" stroke-dasharray="3 3" />
    <rect class="solid" x="4" y="16" width="6" height="12" />
  {:else if kind === 'motor'}
    <rect x="10" y="8" width="34" height="28" />
    <rect class="solid" x="2" y="13" width="8" height="18" />
    <path d="M18,8 v28 M26,8 v28 M34,8 v28" />
  {:else if kind === 'gear'}
    <rect x="14" y="14" width="10" height="16" />
    <rect x="30" y="4" width="14" height="36" />
    <path d="M24,16 h6 M24,22 h6 M24,28 h6" />
  {:else if kind === 'screw'}
    <path d="M8,16 l6,12 M16,16 l6,12 M24,16 l6,12 M32,16 l6,12 M40,16 l6,12 M48,16 l6,12" />
    <rect x="24" y="10" width="18" height="24" />
  {:else if kind === 'belt'}
    <circle cx="14" cy="22" r="9" />
    <circle cx="50" cy="22" r="9" />
    <path d="M14,13 h36 M14,31 h36" stroke-dasharray="3 2" />
  {:else if kind === 'pinion'}
    <circle cx="32" cy="17" r="9" />
    {#each TEETH as angle (angle)}
      <line
        x1={32 + 9 * Math.cos(angle)}
        y1={17 + 9 * Math.sin(angle)}
        x2={32 + 13 * Math.cos(angle)}
        y2={17 + 13 * Math.sin(angle)}
      />
    {/each}
    <path d="M6,38 h52 v-6 h-4 v-4 h-4 v4 h-4 v-4 h-4 v4 h-4 v-4 h-4" />
  {:else if kind === 'wheel'}
    <circle cx="32" cy="22" r="14" />
    <circle class="solid" cx="32" cy="22" r="2" />
    <line x1="6" x2="58" y1="36.5" y2="36.5" />
  {:else}
    <rect class="mass" x="12" y="6" width="40" height="32" />
  {/if}
</svg>

<style>
  svg {
    display: block;
  }
  rect,
  circle {
    fill: var(--leaf);
  }
  rect,
  circle,
  path,
  line {
    stroke: var(--ink);
    stroke-width: 1.5;
  }
  path {
    fill: none;
  }
  .solid {
    fill: var(--ink);
  }
  .mass {
    fill: var(--sunk);
  }
</style>
