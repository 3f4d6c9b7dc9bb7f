<script lang="ts">
  import { Problem, type Edit } from '../../../api/client';
  import InlineForm from '../../../kit/InlineForm.svelte';
  import PlacePicker from '../../../kit/PlacePicker.svelte';
  import { shown } from '../../../kit/numbers';
  import type { ScannerWork } from './scannerWork.svelte';

  /** Signals at a scanner: what drives its inputs, what reads its outputs, and as many as are missing by a pattern. */
  let { work, onleave }: { work: ScannerWork; onleave: () => void } = $props();

  type What = 'safe' | 'select' | 'enable' | 'output';
  const USUAL: Record<What, string> = {
    safe: '{scanner} clear {output}',
    select: '{scanner} select {situation}',
    enable: '{scanner} take over',
    output: '{scanner} warns {zone}',
  };
  const PUT_IN: Record<What, string> = {
    safe: '{part}, {function}, {scanner}, {output}',
    select: '{scanner}, {n}, {situation}',
    enable: '{scanner}',
    output: '{scanner}, {n}, {zone}',
  };

  const plant = $derived(work.plant);
  const own = $derived(work.current);
  const told = $derived(own ? plant.part('scanner.signals', own.id) : undefined);
  const signals = $derived(
    own
      ? plant
          .list('signals', 'controller', own.controller)
          .filter((one) => one.type === 'BOOL' || one.type === 'SAFEBOOL')
      : [],
  );
  let what = $state<What>('select');
  let pattern = $state(USUAL.select);
  let place = $state('');
  let key = $state('');
  let problem = $state('');

  /** What answers to an output, where that is the same in all situations. */
  function answers(output: number): string {
    const zones = new Set(work.situations.map((one) => work.used(one.id, output)));
    const zone = zones.size === 1 ? plant.row('zones', [...zones][0] ?? '') : undefined;
    return zone ? `zone ${zone.letter}${zone.kind === 'warning' ? ', warns' : ''}` : '';
  }
  const safe = $derived(
    new Set(
      plant
        .list('safety_parts', 'device', own?.id ?? '')
        .map((part) => Number(part.settings?.output ?? 1)),
    ),
  );
  const called = (ids: readonly string[]) =>
    ids.map((id) => plant.row('situations', id)?.name ?? '').join(', ');

  async function use(role: string, signal: string) {
    if (!own) return;
    const edit: Edit = { kind: 'use-signal', of: own.id, role, signal: signal || null };
    await work.edit(edit, `${own.name}: signal of ${role}`);
  }
  async function make() {
    if (!own) return;
    problem = '';
    const where = place && key ? { place, key } : {};
    const edit: Edit =
      what === 'safe'
        ? { kind: 'name-parts', of: own.id, pattern }
        : { kind: 'name-scanner', scanner: own.id, what, pattern, ...where };
    try {
      await plant.edit(edit, `Signals of ${own.name}`);
    } catch (refused) {
      problem = refused instanceof Problem ? refused.detail : String(refused);
    }
  }
</script>

{#snippet pick(role: string, signal: string | null, label: string, aside: string)}
  <label
    ><span>{label}{aside ? ` · ${aside}` : ''}</span>
    <select
      aria-label="Signal of {label.toLowerCase()}"
      disabled={!plant.mayEdit}
      value={signal ?? ''}
      onchange={(event) => void use(role, event.currentTarget.value)}
    >
      <option value="">no signal</option>
      {#each signals as one (one.id)}<option value={one.id}>{one.name}</option>{/each}
    </select></label
  >
{/snippet}

{#if told}
  <section aria-label="Signals">
    <div class="grid">
      {#each told.inputs as input (input.role)}
        {@render pick(input.role, input.signal, `Input ${input.number}`, called(input.situations))}
      {/each}
      {@render pick('enable', told.enable, 'Enable', 'inputs count while on')}
      {#each told.outputs as output (output.role)}
        {#if !safe.has(output.number)}
          {@render pick(
            output.role,
            output.signal,
            `Output ${output.number}`,
            answers(output.number),
          )}
        {/if}
      {/each}
    </div>
    {#if told.select_ms}
      <p class="quiet">
        From the program to its inputs within <span class="mono">{shown(told.select_ms, 4)} ms</span
        >{#if told.apart_ms}, up to
          <span class="mono">{shown(told.apart_ms, 4)} ms</span> apart{/if}.
      </p>
    {/if}
    {#if plant.mayEdit}
      <InlineForm make="Make the signals" {problem} onmake={make} oncancel={onleave}>
        <label
          >Signals for
          <select bind:value={what} onchange={() => (pattern = USUAL[what])}>
            <option value="select">its inputs</option>
            <option value="enable">its enable</option>
            <option value="output">its outputs, plain</option>
            <option value="safe">its outputs at safe inputs</option>
          </select></label
        >
        <label>Called <input bind:value={pattern} required /></label>
        {#if what !== 'safe' && own}
          <PlacePicker {plant} controller={own.controller} bind:place bind:key />
        {/if}
        <p class="quiet">{PUT_IN[what]} are put in; what has a signal keeps it.</p>
      </InlineForm>
    {/if}
  </section>
{/if}

<style>
  section {
    border-bottom: 1px solid var(--rule);
    margin-bottom: var(--s4);
  }
  .grid {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(180px, 1fr));
    gap: var(--s4) var(--s5);
  }
  .grid label {
    display: grid;
    gap: var(--s1);
    color: var(--ink-2);
    font-size: var(--f-note);
  }
  .grid select {
    width: 100%;
    color: var(--ink);
  }
  p {
    order: 1;
    flex: 1 1 100%;
    font-size: var(--f-note);
    margin-top: var(--s3);
  }
</style>
