<script lang="ts">
  import type { PartResult } from '../../api/client';
  import { shown } from '../../kit/numbers';
  import DriveObjects from './DriveObjects.svelte';
  import { grouped } from './numbers';

  /** What the chain comes to: counts a unit, the drive's two whole numbers, what they are off by, the drive's objects. */
  let { told }: { told: PartResult<'axis.chain'> } = $props();
  const scale = $derived(told.scale);
  const whole = $derived(scale && scale.numerator !== null && scale.error_a_turn === 0);
  /** A very small number as people write it: 3.4·10⁻¹². */
  function power(value: number): string {
    const [digits = '', exponent = ''] = value.toExponential(1).split('e');
    if (Math.abs(value) >= 1e-4) return shown(value, 2);
    const raised = [...exponent].map((c) => (c === '-' ? '⁻' : '⁰¹²³⁴⁵⁶⁷⁸⁹'[Number(c)])).join('');
    return `${digits.replace('-', '−')}·10${raised}`;
  }
  const off = $derived(
    !scale || whole
      ? []
      : [
          [scale.error_a_turn, 'a turn of the load'],
          [scale.error_over_travel, 'over the travel'],
          [scale.error_an_hour, 'an hour at the highest speed'],
        ].filter((each): each is [number, string] => typeof each[0] === 'number'),
  );
</script>

<section aria-label="Scale">
  {#if told.problem}
    <p class="none">No scale yet: {told.problem}.</p>
  {:else}
    <dl>
      {#if scale}
        <div>
          <dt>Counts per {told.unit}</dt>
          <dd>
            <span class="big mono">{scale.exact}</span>
            {#if scale.exact.includes('/')}<span class="mono quiet"
                >{scale.rational ? '=' : '≈'} {shown(scale.value, 12)}</span
              >{/if}
          </dd>
        </div>
        <div>
          <dt>As a drive takes it</dt>
          <dd>
            {#if scale.numerator !== null && scale.denominator !== null}
              <span class="mono">{grouped(scale.numerator)} / {grouped(scale.denominator)}</span>
              <span class="quiet">
                {#if whole}exact{:else}off by {#each off as [error, over], n (over)}{n
                      ? ', '
                      : ''}<span class="mono">{power(error)} {told.unit}</span>
                    {over}{/each}{/if}
              </span>
            {:else}beyond 32 bits{/if}
          </dd>
        </div>
        <div>
          <dt>One count</dt>
          <dd class="mono">{shown(scale.resolution, 4)} {told.unit}</dd>
        </div>
        {#if scale.range !== null}
          <div>
            <dt>Position known over</dt>
            <dd class="mono">{shown(scale.range)} {told.unit}</dd>
          </div>
        {/if}
        {#if scale.modulo_counts}
          <div>
            <dt>A round is</dt>
            <dd><span class="mono">{scale.modulo_counts}</span> counts</dd>
          </div>
        {/if}
      {/if}
      {#if told.motor_rpm !== null}
        <div>
          <dt>Motor at the highest speed</dt>
          <dd>
            <span class="mono">{shown(told.motor_rpm)} 1/min</span>
            {#if told.rated_rpm !== null}<span class="quiet">of {shown(told.rated_rpm)}</span>{/if}
          </dd>
        </div>
      {/if}
    </dl>
    {#if scale && told.links.some((link) => link.kind === 'motor')}
      <DriveObjects objects={scale.objects} />
    {/if}
  {/if}
</section>

<style>
  section {
    margin-top: var(--s4);
  }
  dl {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s3) var(--s7);
    margin: 0;
  }
  dt {
    color: var(--ink-2);
    font-size: var(--f-note);
  }
  dd {
    margin: 0;
  }
  .big {
    font-size: var(--f-head);
    font-weight: 600;
  }
  .none {
    color: var(--bracken);
  }
</style>
