<script lang="ts">
  import { untrack } from 'svelte';
  import Mark from '../../kit/Mark.svelte';
  import { shown } from '../../kit/numbers';
  import Rehearsal from './Rehearsal.svelte';
  import { SafetyLive } from './safetyLive.svelte';
  import type { SafetyWork } from './safetyWork.svelte';

  /** A function on the bench: demands made by hand, what it does with them, faults tried, taken back again. */
  let { work }: { work: SafetyWork } = $props();

  const plant = untrack(() => work.plant);
  const own = $derived(work.current);
  const live = untrack(() => new SafetyLive(plant, work.current?.controller ?? ''));
  $effect(() => live.follow());

  const told = $derived(plant.bench.running ? live.told : null);
  const state = $derived(own ? told?.functions[own.id] : undefined);
  const sensors = $derived(work.parts.filter((part) => part.role === 'sensor'));
  const actuators = $derived(work.parts.filter((part) => part.role === 'actuator'));
  const buttons = $derived(
    (['reset', 'start', 'stop'] as const).flatMap((role) => {
      const signal = own ? work.used(own.id, role) : '';
      return signal ? [{ role, signal }] : [];
    }),
  );
  const modules = $derived(
    [...new Set(work.parts.map((part) => part.place ?? ''))].flatMap((id) => {
      const now = told?.modules[id];
      const row = plant.row('modules', id);
      return now && row ? [{ id, now, name: row.designation || row.type }] : [];
    }),
  );
  const LABELS = { reset: 'Reset', start: 'Start', stop: 'Stop' };
  const FAULTS = [
    ['', 'in order'],
    ['stuck', 'stays as it is'],
    ['broken', 'wire broken'],
    ['shorted', 'short to 24 V'],
  ] as const;
  const hold = (signal: string) => ({
    onpointerdown: () => void live.do(signal, 'press', true),
    onpointerup: () => void live.do(signal, 'press', false),
    onkeydown: (event: KeyboardEvent) => {
      if (event.key !== 'Enter' && event.key !== ' ') return;
      event.preventDefault();
      if (!event.repeat) void live.do(signal, 'press', true);
    },
    onkeyup: (event: KeyboardEvent) => {
      if (event.key === 'Enter' || event.key === ' ') void live.do(signal, 'press', false);
    },
  });
  const restart = () => own && void live.do(own.controller, 'restart');
</script>

{#snippet now()}
  {#if state}
    <strong class:off={!state.released}
      >{state.released
        ? 'released'
        : state.good
          ? 'all good, waits for its reset'
          : 'held off'}</strong
    >
  {/if}
  {#if told}
    <span class="quiet mono" class:bad={told.stopped || told.longest_ms > told.warning_ms}
      >safe part {told.stopped
        ? 'stopped: a run took too long'
        : `every ${shown(told.cycle_ms)} ms, longest run ${shown(told.longest_ms, 3)} of ${shown(told.allowed_ms)} ms`}</span
    >
  {/if}
{/snippet}

<Rehearsal {plant} known={!!told && !!state} what="this function" state={now}>
  {#if told}
    <div class="sides">
      <table aria-label="Sensors">
        <thead
          ><tr><th>Sensor</th><th>A, B</th><th>By hand</th><th>Contact A</th><th>Contact B</th></tr
          ></thead
        >
        <tbody>
          {#each sensors as part (part.id)}
            {@const now = told.sensors[part.id]}
            <tr>
              <td>{part.name}</td>
              {#if now}
                <td class="mono"
                  >{#each now.channels as on, n (n)}<span class="lamp" class:lit={on}></span>{/each}
                  {#if now.fault}<Mark state="error" word="fault" />{/if}</td
                >
                <td
                  ><button
                    class="plain"
                    aria-pressed={now.demand}
                    disabled={!plant.mayEdit}
                    onclick={() => void live.do(part.id, 'demand', !now.demand)}
                    >{now.demand ? 'End it' : 'Demand'}</button
                  ></td
                >
                {#each [0, 1] as const as n (n)}
                  <td
                    >{#if n < now.faults.length}<select
                        aria-label="Contact {n ? 'B' : 'A'} of {part.name}"
                        disabled={!plant.mayEdit}
                        value={now.faults[n]}
                        onchange={(event) =>
                          void live.do(
                            part.id,
                            n ? 'fault-b' : 'fault-a',
                            event.currentTarget.value as '' | 'stuck' | 'broken' | 'shorted',
                          )}
                      >
                        {#each FAULTS as [key, words] (key)}<option value={key}>{words}</option
                          >{/each}
                      </select>{/if}</td
                  >
                {/each}
              {:else}<td colspan="4" class="quiet">wired to nothing that is safe</td>{/if}
            </tr>
            {#if now && now.faults.length > 1 && work.chosen?.id === part.id}
              <tr>
                <td></td>
                <td colspan="4" class="more">
                  <label
                    >B opens <input
                      class="mono"
                      value={shown(now.skew_ms)}
                      disabled={!plant.mayEdit}
                      onchange={(event) =>
                        void live.do(part.id, 'skew', Number(event.currentTarget.value) || 0)}
                    /> ms behind A</label
                  >
                  <label
                    ><input
                      type="checkbox"
                      disabled={!plant.mayEdit}
                      checked={now.crossed}
                      onchange={(event) =>
                        void live.do(part.id, 'cross', event.currentTarget.checked)}
                    /> A and B shorted to one another</label
                  >
                </td>
              </tr>
            {/if}
          {/each}
        </tbody>
      </table>
      <div class="right">
        <ul aria-label="Actuators">
          {#each actuators as part (part.id)}
            {@const now = told.actuators[part.id]}
            <li>
              <span class="lamp" class:lit={now?.on}></span>
              {part.name}
              <span class="quiet"
                >{now ? (now.on ? 'has its supply' : 'without supply') : 'not wired'}</span
              >
              {#if told.feedback_faults.includes(part.id)}<Mark
                  state="error"
                  word="feedback"
                />{/if}
              {#if now && work.chosen?.id === part.id}
                <label class="quiet"
                  ><input
                    type="checkbox"
                    disabled={!plant.mayEdit}
                    checked={now.welded}
                    onchange={(event) => void live.do(part.id, 'weld', event.currentTarget.checked)}
                  /> does not drop out</label
                >
              {/if}
            </li>
          {/each}
        </ul>
        <div class="row">
          {#each buttons as { role, signal } (role)}
            <button
              disabled={!plant.mayEdit}
              {...hold(signal)}
              title={plant.row('signals', signal)?.name}>{LABELS[role]}</button
            >
          {/each}
          <button class="plain" disabled={!plant.mayEdit} onclick={restart}>All in turn</button>
        </div>
        <ul aria-label="Safe modules">
          {#each modules as module (module.id)}
            <li>
              <span class="mono">{module.name}</span>
              {#if module.now.held}<Mark state="error" word="held safe" />{:else}<span class="quiet"
                  >heard</span
                >{/if}
              <button
                class="plain"
                disabled={!plant.mayEdit}
                onclick={() => void live.do(module.id, module.now.cut ? 'connect' : 'cut')}
                >{module.now.cut ? 'Connect' : 'Cut off'}</button
              >
            </li>
          {/each}
        </ul>
      </div>
    </div>
    {#if live.problem}<p class="bad" role="alert">{live.problem}</p>{/if}
  {/if}
</Rehearsal>

<style>
  .off {
    color: var(--gorse);
  }
  .bad {
    color: var(--bracken);
  }
  .sides {
    display: grid;
    grid-template-columns: auto minmax(220px, 1fr);
    gap: var(--s6);
    align-items: start;
  }
  td {
    padding: 1px var(--s2);
    white-space: nowrap;
  }
  th {
    padding-inline: var(--s2);
    white-space: nowrap;
  }
  select {
    font-size: var(--f-note);
    max-width: 106px;
  }
  .lamp {
    display: inline-block;
    width: 10px;
    height: 10px;
    border: 1px solid var(--ink-2);
    border-radius: 50%;
    margin-right: var(--s1);
  }
  .lit {
    background: var(--lichen);
    border-color: var(--lichen);
  }
  .more label {
    display: inline-flex;
    gap: var(--s2);
    align-items: center;
    margin-right: var(--s5);
    font-size: var(--f-note);
  }
  .more input:not([type]) {
    width: 52px;
    text-align: right;
  }
  ul {
    list-style: none;
    margin: 0 0 var(--s3);
    padding: 0;
  }
  li {
    display: flex;
    gap: var(--s3);
    align-items: center;
    min-height: 26px;
  }
  li button {
    margin-left: auto;
  }
  .right .row {
    margin-bottom: var(--s3);
  }
  @container (max-width: 760px) {
    .sides {
      grid-template-columns: minmax(0, 1fr);
    }
  }
</style>
