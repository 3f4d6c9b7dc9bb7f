<script lang="ts">
  import { got, http } from '../../api/client';
  import Mark from '../../kit/Mark.svelte';
  import { shown } from '../../kit/numbers';
  import type { AxisWork } from './axisWork.svelte';
  import TravelLine from './TravelLine.svelte';

  /** All axes, a line each: its name, its travel to scale, its chain in words, and whether something is wrong. */
  let { work }: { work: AxisWork } = $props();
  const plant = $derived(work.plant);
  let list = $state<HTMLElement>();

  const several = $derived(new Set(work.axes.map((axis) => axis.controller)).size > 1);
  const summary = (links: { kind: string; says: string }[] | undefined) =>
    (links ?? [])
      .filter((link) => link.kind !== 'motor' && link.kind !== 'load')
      .map((link) => link.says.replace(/^(gear|screw) /, ''))
      .join(' · ');
  const worst = (id: string) => {
    const ids = [id, ...plant.list('chain_links', 'axis', id).map((l) => l.id)];
    const found = plant.findingsAt(ids).filter((f) => f.severity !== 'note');
    return {
      count: found.length,
      state: found.some((f) => f.severity === 'error') ? ('error' as const) : ('warning' as const),
    };
  };

  function driveOf(axis: (typeof work.axes)[number]): string {
    const module = plant.row('modules', axis.drive ?? '');
    if (module) return [module.designation, axis.key].filter(Boolean).join(' · ') || 'pulses';
    return plant.row('stations', axis.drive ?? '')?.name ?? 'no drive';
  }

  let apart = $state.raw<Record<string, number>>({});
  let count = 0;
  $effect(() => {
    void [plant.revision, plant.bench.running];
    const mine = ++count;
    http
      .GET('/api/plants/{key}/copies', { params: { path: { key: plant.key } } })
      .then((answer) => {
        if (mine === count) apart = got(answer);
      })
      // Without an answer nothing is said of it.
      .catch(() => {});
  });

  const rows = $derived([...work.robots, ...work.axes]);
  function key(event: KeyboardEvent) {
    const by = event.key === 'ArrowDown' ? 1 : event.key === 'ArrowUp' ? -1 : 0;
    const current = work.robot?.id ?? work.axis?.id;
    const next = rows[rows.findIndex((row) => row.id === current) + by];
    if (!by || !next) return;
    event.preventDefault();
    work.open(next.id);
    list?.querySelectorAll<HTMLElement>('button')[rows.indexOf(next)]?.focus();
  }
  const jointsOf = (robot: string) =>
    (plant.part('robot.told', robot)?.joints ?? [])
      .map((joint) => plant.row('axes', joint.axis)?.name ?? `no ${joint.name}`)
      .join(' · ');
</script>

<!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
<ul bind:this={list} aria-label="Axes" onkeydown={key}>
  {#each work.robots as robot (robot.id)}
    {@const found = worst(robot.id)}
    <li class:current={robot.id === work.robot?.id}>
      <button
        class="plain robot"
        aria-current={robot.id === work.robot?.id ? 'true' : undefined}
        onclick={() => work.open(robot.id)}
      >
        <strong
          >{#if several}<span class="quiet"
              >{plant.row('controllers', robot.controller)?.name}.</span
            >{/if}{robot.name}</strong
        >
        <span class="quiet">robot of {jointsOf(robot.id)}</span>
        <span class="state"
          >{#if found.count}<Mark state={found.state} word={String(found.count)} />{/if}</span
        >
      </button>
    </li>
  {/each}
  {#each work.axes as axis (axis.id)}
    {@const chain = plant.part('axis.chain', axis.id)}
    {@const travel = plant.part('axis.travel', axis.id)}
    {@const found = worst(axis.id)}
    <li class:current={axis.id === work.axis?.id}>
      <button
        class="plain"
        aria-current={axis.id === work.axis?.id ? 'true' : undefined}
        onclick={() => work.open(axis.id)}
      >
        <strong title={axis.name}
          >{#if several}<span class="quiet">{plant.row('controllers', axis.controller)?.name}.</span
            >{/if}{axis.name}</strong
        >
        <span class="travel"
          >{#if travel && chain}<TravelLine
              told={travel}
              unit={chain.unit}
              speedUnit={chain.speed_unit}
              small
              label="Travel of {axis.name}"
            />{/if}</span
        >
        <span class="mono length"
          >{travel?.length != null ? `${shown(travel.length)} ${chain?.unit}` : ''}</span
        >
        <span class="mono chain">{summary(chain?.links)}</span>
        <span class="drive quiet"
          >{driveOf(axis)}{#if apart[axis.id]}<span class="apart" title="Not alike in its drive"
              >≠ {apart[axis.id]}</span
            >{/if}</span
        >
        <span class="state"
          >{#if found.count}<Mark state={found.state} word={String(found.count)} />{/if}</span
        >
      </button>
    </li>
  {/each}
</ul>

<style>
  ul {
    list-style: none;
    margin: var(--s4) 0;
    padding: 0;
    max-height: 286px;
    overflow: auto;
    border-block: 1px solid var(--rule);
  }
  li + li {
    border-top: 1px solid var(--rule);
  }
  button {
    display: grid;
    grid-template-columns: 124px 240px 92px minmax(90px, 1fr) minmax(0, 124px) 40px;
    gap: var(--s5);
    align-items: center;
    width: 100%;
    text-align: left;
    padding: var(--s1) var(--s3);
    min-height: 28px;
    font-weight: 400;
  }
  .robot {
    grid-template-columns: 124px 1fr 40px;
  }
  button > * {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .current button {
    background: var(--leaf);
    box-shadow: inset 3px 0 0 var(--heather);
  }
  .length {
    text-align: right;
  }
  .drive {
    font-size: var(--f-note);
  }
  @container (max-width: 700px) {
    button {
      grid-template-columns: 110px 240px 1fr 44px;
    }
    .chain,
    .drive {
      display: none;
    }
  }
  .apart {
    color: var(--bracken);
    margin-left: var(--s2);
  }
</style>
