<script lang="ts">
  import type { PartResult } from '../../api/client';
  import { shown } from '../../kit/numbers';

  /** What the motor has to give, phase by phase, between what it may: forth, at rest, and back. */
  let {
    told,
    unit,
    forth,
    back,
  }: { told: PartResult<'axis.load'>; unit: string; forth: string; back: string } = $props();

  let width = $state(640);
  const HEIGHT = 156;
  const phases = $derived([
    { at: 'accelerating', of: forth, nm: told.forth.accelerating },
    { at: 'at speed', of: forth, nm: told.forth.cruising },
    { at: 'braking', of: forth, nm: told.forth.braking },
    { at: 'at rest', of: '', nm: told.hold },
    { at: 'accelerating', of: back, nm: told.back.accelerating },
    { at: 'at speed', of: back, nm: told.back.cruising },
    { at: 'braking', of: back, nm: told.back.braking },
  ]);
  const most = $derived(
    1.12 * Math.max(told.peak, told.peak_allowed ?? 0, told.rms_allowed ?? 0, 1e-9),
  );
  const low = $derived(Math.min(0, ...phases.map((p) => p.nm)) < 0 ? -most : -most * 0.06);
  const y = (nm: number) => 8 + ((most - nm) / (most - low)) * (HEIGHT - 44);
  const step = $derived((width - 60) / phases.length);
  const limits = $derived(
    [
      { nm: told.peak_allowed, words: 'peak', kind: 'peak' },
      { nm: told.rms_allowed, words: 'rated', kind: 'rated' },
    ].filter((l): l is { nm: number; words: string; kind: string } => l.nm !== null),
  );
</script>

<div bind:clientWidth={width}>
  <svg {width} height={HEIGHT} role="img" aria-label="Torque at the motor, phase by phase">
    {#each limits as limit (limit.kind)}
      {#each low < -most / 2 ? [1, -1] : [1] as sign (sign)}
        <line
          class={limit.kind}
          x1="0"
          x2={width - 58}
          y1={y(sign * limit.nm)}
          y2={y(sign * limit.nm)}
        />
      {/each}
      <text class="mono" x={width - 54} y={y(limit.nm) + 4}>{limit.words}</text>
      <text class="mono" x={width - 54} y={y(limit.nm) + 16}>{shown(limit.nm, 3)}</text>
    {/each}
    <line class="zero" x1="0" x2={width - 58} y1={y(0)} y2={y(0)} />
    {#each phases as phase, n (n)}
      {@const over = told.peak_allowed !== null && Math.abs(phase.nm) > told.peak_allowed}
      <rect
        class:over
        class:rest={n === 3}
        x={n * step + 3}
        width={step - 6}
        y={Math.min(y(phase.nm), y(0))}
        height={Math.max(Math.abs(y(phase.nm) - y(0)), 1)}
      />
      <text class="mono value" x={n * step + step / 2} y={y(Math.max(phase.nm, 0)) - 3}
        >{shown(phase.nm, 4)}</text
      >
      <text x={n * step + step / 2} y={HEIGHT - 20} class="value">{phase.at}</text>
    {/each}
    {#each [[0, forth], [4, back]] as const as [n, words] (words)}
      <line
        class="zero"
        x1={n * step + 3}
        x2={(n + 3) * step - 3}
        y1={HEIGHT - 15}
        y2={HEIGHT - 15}
      />
      <text x={n * step + 1.5 * step} y={HEIGHT - 3} class="value">{words}</text>
    {/each}
  </svg>
</div>
<p class="facts">
  <span
    >Highest <b class="mono">{shown(told.peak, 4)} Nm</b>{#if told.peak_allowed !== null}<span
        class="quiet"
      >
        of {shown(told.peak_allowed, 4)}</span
      >{/if}</span
  >
  {#if told.rms !== null}
    <span
      >Over the cycle of {shown(told.cycle_s, 4)} s
      <b class="mono">{shown(told.rms, 4)} Nm</b>{#if told.rms_allowed !== null}<span class="quiet">
          of {shown(told.rms_allowed, 4)}</span
        >{/if}</span
    >
  {/if}
  {#if told.ratio !== null}
    <span
      >Load to motor <b class="mono">{shown(told.ratio, 3)} : 1</b>
      <span class="quiet">of inertia</span></span
    >
  {/if}
  {#if told.brake}
    <span
      >Brake <b class="mono">{shown(told.brake.holds_nm, 3)} Nm</b><span class="quiet"
        >, asked {shown(told.brake.asked_nm, 3)}{#if told.brake.sag > 0}, sags {shown(
            told.brake.sag,
            2,
          )}
          {unit} until it holds{/if}</span
      ></span
    >
  {/if}
  {#if told.braking && told.braking.energy_j > 0}
    <span
      >A stop brings back <b class="mono">{shown(told.braking.energy_j, 3)} J</b
      >{#if told.braking.capacitors_j !== null}<span class="quiet"
          >, capacitors take {shown(told.braking.capacitors_j, 3)}{told.braking.resistor
            ? ', a resistor the rest'
            : ''}</span
        >{/if}</span
    >
  {/if}
</p>

<style>
  svg {
    display: block;
  }
  rect {
    fill: var(--tarn-tint);
    stroke: var(--tarn);
  }
  .rest {
    fill: var(--sunk);
    stroke: var(--ink-3);
  }
  .over {
    fill: var(--bracken-tint);
    stroke: var(--bracken);
  }
  .zero {
    stroke: var(--ink-2);
  }
  .peak {
    stroke: var(--bracken);
  }
  .rated {
    stroke: var(--gorse);
    stroke-dasharray: 6 4;
  }
  text {
    fill: var(--ink-2);
    font-size: var(--f-small);
  }
  .value {
    text-anchor: middle;
  }
  .mono {
    fill: var(--ink);
    font-size: var(--f-small);
  }
  .facts b {
    margin-right: var(--s2);
  }
  .facts {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s2) var(--s6);
    margin-top: var(--s3);
  }
</style>
