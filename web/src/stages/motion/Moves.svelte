<script lang="ts">
  import { shown } from '../../kit/numbers';
  import { router } from '../../shell/router.svelte';
  import { AxisLive } from './axisLive.svelte';
  import type { AxisWork } from './axisWork.svelte';

  /** The moves that are kept by name; all in their order are the axis's cycle. */
  let { work }: { work: AxisWork } = $props();
  const plant = $derived(work.plant);
  const chain = $derived(work.axis ? plant.part('axis.chain', work.axis.id) : undefined);
  const told = $derived(work.axis ? plant.part('axis.load', work.axis.id) : undefined);
  let problem = $state('');
  const number = (value: unknown) => (typeof value === 'number' ? value : null);

  async function add() {
    if (!work.axis) return;
    const edit = {
      kind: 'add-move' as const,
      axis: work.axis.id,
      name: null,
      goes: 'relative' as const,
      tag: '$move',
    };
    await work.add(edit, `Add a move to ${work.axis.name}`, '$move');
  }

  /** A kept move on the bench, by what is set of it or else of its axis. */
  async function go(move: (typeof work.moves)[number]) {
    const axis = work.axis;
    if (!axis) return;
    const of = { ...axis.settings, ...move.settings };
    const live = new AxisLive(plant, axis.id);
    await live.do({
      do: 'move',
      distance: String(number(move.settings?.['to']) ?? 0),
      speed: String(number(of['speed']) ?? 0),
      acceleration: String(number(of['acceleration']) ?? 0),
      absolute: move.kind === 'absolute',
    });
    problem = live.problem;
  }

  async function write(id: string, name: string) {
    const onward = router.onward();
    const edit = { kind: 'write-move-program' as const, move: id, tag: '$program' };
    const answer = await plant.edit(edit, `Write a program for ${name}`).catch(() => null);
    const made = answer?.tags['$program'];
    if (made) onward(`/p/${plant.key}/signals/programs/${made}`);
  }

  function key(event: KeyboardEvent) {
    const by = event.key === 'ArrowDown' ? 1 : event.key === 'ArrowUp' ? -1 : 0;
    if (!by) return;
    event.preventDefault();
    event.stopPropagation();
    const next = work.moves[work.moves.findIndex((m) => m.id === work.chosen?.id) + by];
    if (event.altKey) {
      if (plant.mayEdit) void work.shift(by);
    } else if (next && work.axis) {
      work.open(work.axis.id, next.id);
      document.getElementById(`move-${next.id}`)?.focus();
    }
  }
</script>

<section aria-label="Moves">
  <div class="row head">
    <h2>Moves</h2>
    <span class="quiet"
      >{told?.cycle_s != null
        ? `${shown(told.cycle_s, 4)} s one after the other`
        : 'kept by name; together they are the cycle that warms the motor'}</span
    >
    <span class="wide"></span>
    {#if plant.mayEdit}<button class="plain" onclick={() => void add()}>Add a move</button>{/if}
  </div>
  {#if work.moves.length}
    <!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
    <ul onkeydown={key}>
      {#each work.moves as move (move.id)}
        {@const to = number(move.settings?.['to'])}
        {@const speed = number(move.settings?.['speed'])}
        {@const wait = number(move.settings?.['wait_s'])}
        <li class:current={move.id === work.chosen?.id}>
          <button
            class="plain"
            id="move-{move.id}"
            aria-pressed={move.id === work.chosen?.id}
            onclick={() => work.axis && work.open(work.axis.id, move.id)}
          >
            <strong>{move.name}</strong>
            <span class="mono"
              >{move.kind === 'absolute' ? 'to' : 'by'}
              {shown(to)}
              {chain?.unit}</span
            >
            <span class="mono quiet"
              >{speed === null ? 'highest speed' : `${shown(speed)} ${chain?.speed_unit}`}</span
            >
            <span class="quiet"
              >{wait
                ? `then ${shown(wait)} s on the ${move.settings?.['wait_on'] === 'brake' ? 'brake' : 'motor'}`
                : ''}</span
            >
          </button>
          {#if plant.mayEdit && move.id === work.chosen?.id}
            {#if plant.bench.running}<button onclick={() => void go(move)}>Go</button>{/if}
            <button class="plain write" onclick={() => void write(move.id, move.name)}
              >Write it as a program</button
            >
          {/if}
        </li>
      {/each}
    </ul>
  {/if}
  {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
</section>

<style>
  section {
    margin-top: var(--s5);
  }
  .head {
    align-items: baseline;
  }
  ul {
    list-style: none;
    margin: var(--s2) 0 0;
    padding: 0;
    border-top: 1px solid var(--rule);
  }
  li {
    border-bottom: 1px solid var(--rule);
  }
  li {
    display: flex;
  }
  li > button:first-child {
    display: grid;
    grid-template-columns: 160px 140px 140px 1fr;
    gap: var(--s4);
    width: 100%;
    text-align: left;
    padding: var(--s1) var(--s3);
    min-height: 26px;
    align-items: center;
    font-weight: 400;
  }
  .problem {
    color: var(--bracken);
  }
  .write {
    white-space: nowrap;
  }
  .current > button:first-child {
    background: var(--leaf);
    box-shadow: inset 3px 0 0 var(--heather);
  }
</style>
