<script lang="ts">
  import { untrack } from 'svelte';
  import type { PartResult } from '../../../api/client';
  import { today } from '../../../kit/days';
  import InlineForm from '../../../kit/InlineForm.svelte';
  import { Making } from '../../../kit/making.svelte';
  import Mark from '../../../kit/Mark.svelte';
  import { shown } from '../../../kit/numbers';
  import type { SafetyLive } from '../safetyLive.svelte';
  import RecordsKept from '../RecordsKept.svelte';
  import type { ScannerWork } from './scannerWork.svelte';
  import type { Point } from './shapes';

  /** The edge of each zone of a situation as a ruler: where a test piece has to be held, and where it was seen. */
  let {
    work,
    live,
    onshow,
  }: {
    work: ScannerWork;
    live: SafetyLive | null;
    /** The places that are spoken of, to be shown in the plan. */
    onshow: (places: Point[]) => void;
  } = $props();

  type Output = PartResult<'situation.walk'>['outputs'][number];
  const plant = $derived(work.plant);
  const situation = $derived(work.situation);
  const told = $derived(situation ? plant.part('situation.walk', situation.id) : undefined);
  const bench = $derived(
    plant.bench.running && work.current ? live?.told?.scanners[work.current.id]?.tried : null,
  );
  /** What is being written down: of an output, place by place, null for not tried. */
  let noting = $state<{ output: number; seen: (boolean | null)[]; where: 'site' | 'bench' } | null>(
    null,
  );
  let at = $state(today());
  let by = $state('');
  const STATES = {
    never: ['idle', 'not walked on site'],
    partly: ['warning', 'not everywhere'],
    changed: ['warning', 'changed since'],
    failed: ['error', 'not seen somewhere'],
    walked: ['good', 'walked'],
  } as const;
  const now = (output: Output) =>
    bench?.situation === situation?.id && bench?.output === output.output ? bench : null;
  const word = (seen: boolean | null) => (seen === null ? 'not tried' : seen ? 'seen' : 'not seen');

  const making = new Making(
    // svelte-ignore state_referenced_locally
    work.plant,
    () => ({
      kind: 'add-proof' as const,
      of: situation?.id ?? '',
      what: 'walk' as const,
      where: noting?.where ?? 'site',
      at,
      by,
      result: '' as const,
      note: '',
      fault: '',
      walk: {
        output: noting?.output ?? 1,
        piece_mm: told?.piece_mm ?? 50,
        places: (told?.outputs.find((one) => one.output === noting?.output)?.places ?? []).flatMap(
          (place, n) => {
            const seen = noting?.seen[n];
            return seen === null || seen === undefined ? [] : [{ x: place.x, y: place.y, seen }];
          },
        ),
      },
    }),
  );

  function note(output: Output, where: 'site' | 'bench') {
    const tried = now(output)?.places ?? [];
    noting = {
      output: output.output,
      where,
      seen: output.places.map((_, n) => (where === 'bench' ? (tried[n]?.seen ?? null) : null)),
    };
  }
  function turn(n: number) {
    if (!noting) return;
    const seen = noting.seen[n];
    noting.seen[n] = seen === null ? true : seen ? false : null;
  }
  async function make() {
    if (await making.make(`Record the walk of ${situation?.name ?? ''}`)) noting = null;
  }
  function tryAll(output: Output) {
    if (!work.current || !situation || !told) return;
    const places = output.places.map(({ x, y }) => ({ x, y }));
    const { piece_mm } = told;
    void live?.hold(work.current.id, {
      situation: situation.id,
      output: output.output,
      piece_mm,
      places,
    });
  }
  $effect(() => {
    const of = told?.outputs.find((one) => one.output === noting?.output || now(one)?.running);
    const places = of?.places.map(({ x, y }): Point => [x, y]) ?? [];
    untrack(() => onshow(places));
  });
  $effect(() => {
    // Another situation has other places.
    void situation?.id;
    noting = null;
  });
</script>

{#if told?.outputs.length && situation}
  <section aria-label="Walked">
    <div class="row">
      <h2>Walked in {situation.name}</h2>
      <span class="quiet"
        >with a test piece of {shown(told.piece_mm)} mm, at each corner and every 500 mm of the open edge</span
      >
    </div>
    {#each told.outputs as output (output.output)}
      {@const here = now(output)}
      {@const own = noting?.output === output.output ? noting : null}
      <div class="line">
        <strong>output {output.output}</strong>
        <span class="quiet">zone {output.zone}</span>
        <ol class="ruler" aria-label="Places of output {output.output}">
          {#each output.places as place, n (n)}
            {@const seen = own ? own.seen[n]! : (place.site ?? null)}
            {@const tried = here ? (here.places[n]?.seen ?? null) : (place.bench ?? null)}
            <li>
              <button
                class="plain"
                disabled={!own}
                aria-label="Place {n + 1}: {word(seen)}"
                title="{Math.round(place.x)}, {Math.round(place.y)} mm: {word(
                  seen,
                )}; on the bench {word(tried)}"
                onclick={() => turn(n)}
              >
                <i class:seen={seen === true} class:missed={seen === false}></i>
                <b class:seen={tried === true} class:missed={tried === false}></b>
              </button>
            </li>
          {/each}
        </ol>
        <Mark state={STATES[output.state][0]} word={STATES[output.state][1]} />
        {#if output.last}<span class="mono quiet">{output.last} {output.by}</span>{/if}
        <span class="wide"></span>
        {#if here?.running}
          <span class="mono">{here.places.length} of {here.of}</span>
        {:else if plant.mayEdit && !own}
          {#if plant.bench.running && live?.told}
            <button class="plain" onclick={() => tryAll(output)}>Try all on the bench</button>
          {/if}
          {#if here && here.places.length === here.of}
            <button class="plain" onclick={() => note(output, 'bench')}>Record the bench's …</button
            >
          {/if}
          <button class="plain" onclick={() => note(output, 'site')}>Record a walk …</button>
        {/if}
      </div>
      {#if own}
        <InlineForm
          make="Record it"
          problem={making.problem?.detail}
          onmake={make}
          oncancel={() => making.leave(() => (noting = null))}
        >
          {#if own.where === 'site'}
            <p class="quiet">
              Click a place once where the piece was seen, twice where it was not. <button
                type="button"
                class="plain"
                onclick={() => own.seen.forEach((_, n) => (own.seen[n] = true))}
                >Seen everywhere</button
              >
            </p>
          {:else}<p class="quiet">On the bench, a rehearsal: it counts for nothing on site.</p>{/if}
          <label>Done on<input type="date" bind:value={at} required /></label>
          <label>Done by<input bind:value={by} /></label>
        </InlineForm>
      {/if}
      {#if output.records.length}
        <RecordsKept
          {plant}
          lines={output.records.map((record) => ({ name: `output ${output.output}`, record }))}
        />
      {/if}
    {/each}
  </section>
{/if}

<style>
  section {
    margin-top: var(--s5);
  }
  .row {
    align-items: baseline;
    flex-wrap: wrap;
  }
  .line {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: var(--s2) var(--s4);
    min-height: 34px;
  }
  .ruler {
    display: flex;
    list-style: none;
    margin: 0;
    padding: 0;
    border-bottom: 1px solid var(--ink);
  }
  .ruler button {
    display: grid;
    justify-items: center;
    gap: var(--s1);
    padding: var(--s1);
    min-width: 18px;
    min-height: 26px;
    opacity: 1;
  }
  i {
    width: 10px;
    height: 10px;
    border: 1.5px solid var(--ink);
    border-radius: 50%;
  }
  b {
    width: 10px;
    height: 3px;
    border: 1px dotted var(--ink-2);
  }
  .seen {
    background: var(--ink);
  }
  .missed {
    background: var(--bracken);
    border-color: var(--bracken);
    border-radius: 0;
  }
  p {
    flex: 1 1 100%;
  }
</style>
