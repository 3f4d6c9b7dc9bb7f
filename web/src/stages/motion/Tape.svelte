<script lang="ts">
  import { got, http, Problem, type Schemas } from '../../api/client';
  import Mark from '../../kit/Mark.svelte';
  import { shown } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';
  import type { AxisLive } from './axisLive.svelte';

  /** How far it really went: typed from a tape, compared with what every wrong link would have measured. */
  let {
    plant,
    axis,
    asked,
    unit,
    live,
    began,
  }: {
    plant: PlantStore;
    axis: string;
    asked: number;
    unit: string;
    live: AxisLive;
    /** Where the tape was when the latest move began. */
    began: number | null;
  } = $props();

  let measured = $state('');
  let longer = $state('');
  let longerMeasured = $state('');
  let uncertainty = $state('');
  let second = $state(false);
  let told = $state.raw<Schemas['TapeTold'] | null>(null);
  let problem = $state('');
  let count = 0;

  $effect(() => {
    void plant.configured;
    const moves = [{ asked: String(asked), measured }];
    if (second && longer.trim() && longerMeasured.trim())
      moves.push({ asked: longer, measured: longerMeasured });
    const body = { moves, uncertainty };
    if (!measured.trim()) {
      told = null;
      problem = '';
      return;
    }
    const mine = ++count;
    const timer = window.setTimeout(() => {
      http
        .POST('/api/plants/{key}/axes/{axis_id}/tape', {
          params: { path: { key: plant.key, axis_id: axis } },
          body,
        })
        .then((answer) => {
          if (mine !== count) return;
          told = got(answer);
          problem = '';
        })
        .catch((error: unknown) => {
          if (mine === count) problem = error instanceof Problem ? error.detail : '';
        });
    }, 80);
    return () => window.clearTimeout(timer);
  });

  const last = $derived(second && longer.trim() ? Number(longer) || asked : asked);
  const most = $derived(
    Math.max(
      Math.abs(last),
      Math.abs(told ? told.ratio * last : 0),
      ...(told?.classes.slice(0, 3).map((one) => Math.abs(one.would)) ?? []),
    ) || 1,
  );
  /** Beside every bar there is room for its number. */
  const share = (value: number) => `calc((100% - 96px) * ${Math.abs(value) / most})`;

  async function holdTape() {
    const at = await live.tape();
    // A tape is read to a tenth of a millimetre at best.
    if (at !== null && began !== null) measured = String(Math.round((at - began) * 10) / 10);
  }

  async function mend(suspect: Schemas['Suspect']) {
    if (!suspect.edit) return;
    const label = `${suspect.label}, by the tape`;
    await plant.edit(suspect.edit, label).catch(() => {});
  }
</script>

{#snippet bar(words: string, value: number, note: string, kind: string)}
  <span class="words" class:strong={kind === 'asked'}>{words}</span>
  <span class="bar {kind}"><span style:width={share(value)}></span><b class="mono">{note}</b></span>
{/snippet}

<div class="form">
  <h3>Tape</h3>
  {#if plant.bench.running && began !== null}
    <button disabled={live.told?.state !== 'standstill'} onclick={() => void holdTape()}
      >Hold the tape</button
    >
  {/if}
  <label
    >It went
    <span class="row"
      ><input class="mono" bind:value={measured} aria-label="Measured" /><span class="unit"
        >{unit}</span
      ></span
    ></label
  >
  <label
    >read to within
    <span class="row"
      ><input
        class="mono"
        bind:value={uncertainty}
        placeholder={told ? '' : '1'}
        aria-label="Read to within"
      /><span class="unit">{unit}</span></span
    ></label
  >
  {#if second}
    <label
      >A longer move of
      <span class="row"
        ><input class="mono" bind:value={longer} /><span class="unit">{unit}</span></span
      ></label
    >
    <label
      >went
      <span class="row"
        ><input class="mono" bind:value={longerMeasured} /><span class="unit">{unit}</span></span
      ></label
    >
  {:else}
    <button class="plain" onclick={() => (second = true)}>A second, longer move …</button>
  {/if}
</div>
{#if problem}<p class="problem" role="alert">{problem}</p>{/if}
{#if told}
  <div class="bars" aria-live="polite">
    {@render bar('asked', last, shown(last, 6), 'asked')}
    {@render bar('tape', told.ratio * last, shown(told.ratio * last, 6), 'tape')}
    {#if !told.right}
      {#each told.classes as one, n (n)}
        {#if one.within || n < 3}
          <span class="group" class:within={one.within}
            >{#if one.within}<Mark state="warning" />{/if}{one.suspects
              .map((s) => s.says)
              .join(', or ') || 'something else'}</span
          >
          <span class="bar {one.within ? 'fits' : 'off'}"
            ><span style:width={share(one.would)}></span><b class="mono"
              >{shown(one.would, 4)}{one.within ? '' : ' no'}</b
            ></span
          >
          {#if one.within}
            <ul>
              {#each one.suspects as suspect, m (m)}
                <li>
                  <span>{suspect.says}: {suspect.look}</span>
                  {#if suspect.edit && plant.mayEdit}
                    <button onclick={() => void mend(suspect)}>{suspect.label}</button>
                  {/if}
                </li>
              {/each}
            </ul>
          {/if}
        {/if}
      {/each}
    {/if}
  </div>
  <p>
    {#if told.right}<Mark state="good" />{/if}
    {told.says}
    {#if told.further !== null}
      A move of {shown(told.further, 3)}
      {told.unit} tells apart what is left.
    {/if}
    {#if told.lost}
      At a reversal {shown(told.lost.lost, 3)} ± {shown(told.lost.lost_off, 2)}
      {told.unit} are lost{told.lost.significant ? '' : ', no more than the tape may be wrong by'}.
    {/if}
  </p>
{/if}

<style>
  .form {
    display: flex;
    flex-wrap: wrap;
    align-items: end;
    gap: var(--s5);
    margin-top: var(--s4);
  }
  label {
    display: grid;
    color: var(--ink-2);
    font-size: var(--f-note);
  }
  input {
    width: 84px;
    text-align: right;
  }
  .problem {
    color: var(--bracken);
  }
  .bars {
    display: grid;
    grid-template-columns: minmax(150px, 300px) 1fr;
    gap: var(--s2) var(--s4);
    align-items: center;
    margin: var(--s4) 0 var(--s3);
  }
  .group {
    display: flex;
    justify-content: flex-end;
    gap: var(--s2);
    text-align: right;
  }
  .within {
    font-weight: 600;
  }
  .words {
    text-align: right;
    color: var(--ink-2);
  }
  .bar {
    display: flex;
    align-items: center;
    gap: var(--s4);
  }
  .bar > span {
    height: 12px;
    border: 1px solid var(--ink-2);
    border-block-width: 0;
    background: linear-gradient(var(--ink-2), var(--ink-2)) no-repeat center / 100% 2px;
  }
  .bar b {
    white-space: nowrap;
  }
  .tape > span {
    background-size: 100% 6px;
  }
  .off {
    opacity: 0.6;
  }
  ul {
    grid-column: 1 / -1;
    list-style: none;
    margin: 0 0 var(--s3);
    padding: var(--s3) var(--s4);
    background: var(--leaf);
    border-left: 3px solid var(--gorse);
  }
  li {
    display: flex;
    align-items: center;
    gap: var(--s4);
    min-height: 26px;
  }
  li span {
    flex: 1;
  }
</style>
