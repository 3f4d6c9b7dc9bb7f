<script lang="ts">
  import { untrack } from 'svelte';
  import type { PartResult } from '../../api/client';
  import { today } from '../../kit/days';
  import InlineForm from '../../kit/InlineForm.svelte';
  import { Making } from '../../kit/making.svelte';
  import Mark from '../../kit/Mark.svelte';
  import { SafetyLive, type SafetyDo } from './safetyLive.svelte';
  import type { SafetyWork } from './safetyWork.svelte';

  /** The faults to try of each part, what each has to lead to, and whether that was seen. */
  let { work }: { work: SafetyWork } = $props();

  type Fault = PartResult<'function.faults'>[number];
  const plant = untrack(() => work.plant);
  const live = untrack(() => new SafetyLive(plant, work.current?.controller ?? ''));
  $effect(() => live.follow());
  const own = $derived(work.current);
  const plan = $derived((own ? plant.part('function.faults', own.id) : undefined) ?? []);
  const tried = $derived(plan.filter((one) => one.site === 'passed').length);
  let open = $state(false);
  let noting = $state<Fault | null>(null);
  let at = $state(today());
  let by = $state('');
  let where = $state<'site' | 'bench'>('site');
  let result = $state<'passed' | 'failed'>('passed');
  const key = (one: Fault) => `${one.part} ${one.key}`;

  const making = new Making(plant, () => ({
    kind: 'add-proof' as const,
    of: noting?.part ?? '',
    what: 'fault' as const,
    where,
    at,
    by,
    result,
    note: '',
    fault: noting?.key ?? '',
  }));

  /** Whether a fault is there on the bench now; undefined where the bench knows nothing of it. */
  function there(one: Fault): boolean | undefined {
    const told = plant.bench.running ? live.told : null;
    if (!told) return undefined;
    if (one.do === 'weld') return told.actuators[one.part]?.welded;
    const sensor = told.sensors[one.part];
    if (!sensor) return undefined;
    return one.do === 'cross'
      ? sensor.crossed
      : sensor.faults[one.do === 'fault-a' ? 0 : 1] === one.value;
  }
  function put(one: Fault, on: boolean) {
    const value = one.do === 'cross' || one.do === 'weld' ? on : on ? (one.value as 'broken') : '';
    void live.do(one.part, one.do as SafetyDo, value);
  }
  async function make() {
    if (await making.make(`Record a fault of ${noting?.name ?? ''}`)) noting = null;
  }
</script>

{#if plan.length}
  <section aria-label="Faults to try">
    <div class="row head">
      <h2>Faults to try</h2>
      <span class="quiet">ISO 13849-2, Annex D · {tried} of {plan.length} as expected on site</span>
      <span class="wide"></span>
      <button class="plain" aria-expanded={open} onclick={() => (open = !open)}
        >{open ? 'Fold' : 'Show the plan'}</button
      >
    </div>
    {#if open}
      <table aria-label="Plan of faults">
        <thead
          ><tr><th>Part</th><th>Fault</th><th>Expected</th><th>Site</th><th>Bench</th><th></th></tr
          ></thead
        >
        <tbody>
          {#each plan as one, n (key(one))}
            {@const now = there(one)}
            <tr class:first={one.part !== plan[n - 1]?.part}>
              <td>{one.part === plan[n - 1]?.part ? '' : one.name}</td>
              <td>{one.label}</td>
              <td class:bad={one.dangerous}>{one.expected}</td>
              <td
                ><Mark
                  state={one.site === 'passed' ? 'good' : one.site ? 'error' : 'idle'}
                  word={one.site === 'passed'
                    ? 'as expected'
                    : one.site
                      ? 'otherwise'
                      : 'not tried'}
                /></td
              >
              <td>
                {#if now !== undefined && plant.mayEdit}
                  <button
                    class="plain"
                    aria-label="{now ? 'Mend' : 'Try'} {one.label} of {one.name}"
                    onclick={() => put(one, !now)}>{now ? 'Mend' : 'Try'}</button
                  >
                {/if}
                {#if one.bench}<span class="quiet"
                    >{one.bench === 'passed' ? 'as expected' : 'otherwise'}</span
                  >{/if}
              </td>
              <td
                >{#if plant.mayEdit}<button
                    class="plain"
                    aria-label="Record {one.label} of {one.name}"
                    onclick={() => (noting = one)}>Record</button
                  >{/if}</td
              >
            </tr>
            {#if noting && key(noting) === key(one)}
              <tr
                ><td colspan="6">
                  <InlineForm
                    make="Record it"
                    problem={making.problem?.detail}
                    onmake={make}
                    oncancel={() => making.leave(() => (noting = null))}
                  >
                    <label
                      >What was seen
                      <select bind:value={result}>
                        <option value="passed">what is expected</option>
                        <option value="failed">something else</option>
                      </select></label
                    >
                    <label>Done on<input type="date" bind:value={at} required /></label>
                    <label>Done by<input bind:value={by} /></label>
                    <label
                      >Where
                      <select bind:value={where}>
                        <option value="site">on site</option>
                        <option value="bench">on the bench, a rehearsal</option>
                      </select></label
                    >
                  </InlineForm></td
                ></tr
              >
            {/if}
          {/each}
        </tbody>
      </table>
    {/if}
  </section>
{/if}

<style>
  section {
    margin-top: var(--s5);
  }
  .head {
    align-items: baseline;
  }
  th,
  td {
    padding: 1px var(--s3);
    text-align: left;
    vertical-align: baseline;
    white-space: nowrap;
  }
  td:first-child,
  th:first-child {
    padding-left: 0;
    max-width: 180px;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  td button {
    min-height: 0;
    padding-block: 1px;
  }
  .first td {
    border-top: 1px solid var(--rule);
  }
  .bad {
    color: var(--bracken);
  }
</style>
