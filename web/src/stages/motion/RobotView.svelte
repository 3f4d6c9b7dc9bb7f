<script lang="ts">
  import { untrack } from 'svelte';
  import { shown } from '../../kit/numbers';
  import type { PlantStore, Row } from '../../plant/store.svelte';
  import RobotAsks from './RobotAsks.svelte';
  import RobotJoints from './RobotJoints.svelte';
  import { RobotLive } from './robotLive.svelte';
  import RobotReach from './RobotReach.svelte';
  import RobotStart from './RobotStart.svelte';

  /** One robot: where it reaches, its straight move, what its type asks, and the hand on it. */
  let {
    plant,
    robot,
    onopen,
  }: { plant: PlantStore; robot: Row<'robots'>; onopen: (axis: string) => void } = $props();

  const live = untrack(() => new RobotLive(plant, robot.id));
  $effect(() => {
    if (plant.bench.running) return untrack(() => live.follow());
  });
  const told = $derived(plant.part('robot.told', robot.id));
  const reach = $derived(plant.part('robot.reach', robot.id));
  const line = $derived(plant.part('robot.line', robot.id));
</script>

{#if told}
  <p class="row joints">
    {#each told.joints as joint (joint.place)}
      <span
        ><span class="quiet">{joint.name}</span>
        {#if joint.axis}<button class="plain" onclick={() => onopen(joint.axis)}
            >{plant.row('axes', joint.axis)?.name}</button
          >{:else}<span class="problem">no axis</span>{/if}</span
      >
    {/each}
    {#if !told.missing.length}<span class="quiet"
        >arms turn from {shown(told.low_deg)}° to {shown(told.high_deg)}° below the level</span
      >{/if}
  </p>
  {#if told.missing.length}
    <p class="problem">
      Not set yet: {told.missing.join(', ')}. It stands in the data sheet; set it at the right.
    </p>
  {:else if reach}
    <section aria-label="Reach"><RobotReach {reach} {told} {line} live={live.told} /></section>
  {/if}
  <section aria-label="Straight move">
    <div class="row head">
      <h2>Straight move</h2>
      {#if line}
        <span class="quiet">{shown(line.length, 4)} mm in {shown(line.takes, 4)} s</span>
        {#if line.leaves}<span class="problem"
            >after {shown(line.leaves_at, 4)} mm it is not reached: {line.leaves}</span
          >{/if}
      {:else}
        <span class="quiet">set from where, to where and how quick at the right</span>
      {/if}
    </div>
    {#if line?.joints.length}<RobotJoints {line} />{/if}
  </section>
  <RobotAsks {plant} robot={robot.id} {told} />
  <RobotStart {plant} {live} />
{/if}

<style>
  section {
    margin-top: var(--s5);
  }
  .joints {
    gap: var(--s2) var(--s6);
    flex-wrap: wrap;
    align-items: baseline;
    margin: var(--s3) 0;
  }
  .head {
    align-items: baseline;
  }
  .problem {
    color: var(--bracken);
  }
</style>
