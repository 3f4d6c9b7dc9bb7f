<script lang="ts">
  import type { Schemas } from '../api/client';

  /** Switches as they have to stand on the device: rotary ones with their pointer, DIP ones up for on. */
  let { dialled }: { dialled: Schemas['Dialled'] } = $props();
  const steps = $derived(dialled.kind === 'rotary-16' ? 16 : 10);
  const angle = (position: number) => (360 * position) / steps;
  const digit = (position: number) => position.toString(16).toUpperCase();
</script>

<div class="dials" role="img" aria-label="Switches at {dialled.positions.map(digit).join(' ')}">
  {#each dialled.positions as position, n (n)}
    {#if dialled.kind === 'dip'}
      <svg width="16" height="46" aria-hidden="true">
        <rect x="2" y="2" width="12" height="26" class="body" />
        <rect x="4" y={position ? 4 : 16} width="8" height="10" class="lever" />
        <text x="8" y="41" text-anchor="middle">{dialled.labels[n]}</text>
      </svg>
    {:else}
      <svg width="52" height="66" aria-hidden="true">
        <circle cx="26" cy="26" r="17" class="body" />
        {#each { length: steps }, step}
          {#if step % (steps / 2) === 0 || step === position}
            <text
              x={26 + 23 * Math.sin((angle(step) * Math.PI) / 180)}
              y={29.5 - 22 * Math.cos((angle(step) * Math.PI) / 180)}
              text-anchor="middle"
              class:set={step === position}>{digit(step)}</text
            >
          {/if}
        {/each}
        <path
          d="M26 26V13M22.5 17L26 12L29.5 17"
          class="hand"
          transform="rotate({angle(position)} 26 26)"
        />
        <text x="26" y="62" text-anchor="middle" class="label">{dialled.labels[n]}</text>
      </svg>
    {/if}
  {/each}
  {#if dialled.kind === 'dip'}<span class="quiet">up is on</span>{/if}
</div>

<style>
  .dials {
    display: flex;
    align-items: flex-end;
    gap: var(--s2);
    margin: var(--s2) 0;
  }
  .body {
    fill: var(--leaf);
    stroke: var(--ink);
    stroke-width: 1.5;
  }
  .lever {
    fill: var(--ink);
  }
  .hand {
    stroke: var(--heather);
    stroke-width: 2.2;
    fill: none;
  }
  text {
    font: var(--f-tiny) var(--mono);
    fill: var(--ink-2);
  }
  .set {
    font-weight: 600;
    fill: var(--ink);
  }
</style>
