<script module lang="ts">
  export const drawsTime = true;
</script>

<script lang="ts">
  import { shown } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';

  /** One cycle to scale: its frames, their way through devices and cables, what is left; Sync0 of each, tasks. */
  let {
    plant,
    network,
    onchoose,
  }: {
    plant: PlantStore;
    network: string;
    controller: string;
    onchoose: (station: string) => void;
  } = $props();

  const ruler = $derived(plant.part('ethercat.ruler', network));
  const cycle = $derived(ruler?.cycle_us ?? 1);
  const percent = (us: number) => `${Math.min((100 * us) / cycle, 100)}%`;
  const marks = $derived((ruler?.nodes ?? []).filter((node) => node.sync0_us !== null));
  let box = $state<HTMLDivElement>();
  /** The mark that is moved, and to where, µs. */
  let held = $state.raw<{ row: string; us: number } | null>(null);

  const name = (station: string) => plant.row('stations', station)?.name ?? '';
  const place = (node: (typeof marks)[number]) =>
    (((held?.row === node.row ? held.us : (node.shift_us ?? 0)) % cycle) + cycle) % cycle;

  function moved(event: PointerEvent) {
    if (!held || !box) return;
    const bounds = box.getBoundingClientRect();
    const part = Math.min(Math.max((event.clientX - bounds.left) / bounds.width, 0), 1);
    held = { row: held.row, us: Math.round(part * cycle) };
  }

  function dropped() {
    const last = held;
    held = null;
    if (last) void shift(last.row, last.us);
  }

  async function shift(row: string, us: number) {
    const values = { 'settings.shift0_ns': Math.round(us * 1000) };
    await plant
      .edit({ kind: 'set', ids: [row], values }, `Sync0 of ${label(row)} ${shown(us)} µs behind`)
      .catch(() => {});
  }

  function label(row: string): string {
    const node = marks.find((mark) => mark.row === row);
    return node ? (node.module ? node.label : name(node.station)) : '';
  }

  function key(event: KeyboardEvent, row: string, us: number) {
    const step = event.shiftKey ? 10 : 1;
    const by = { ArrowRight: step, ArrowLeft: -step }[event.key];
    if (by === undefined || !plant.mayEdit) return;
    event.preventDefault();
    event.stopPropagation();
    void shift(row, us + by);
  }
</script>

<svelte:window onpointermove={held ? moved : undefined} onpointerup={held ? dropped : undefined} />

{#if ruler && ruler.frames.length}
  <section class="cycle" aria-label="One cycle">
    <p class="quiet">
      A cycle of <span class="mono">{shown(ruler.cycle_us)}</span> µs: frames are back after
      <strong class="mono">{shown(ruler.back_us, 5)}</strong> µs,
      <span class="mono">{shown(ruler.slack_us, 5)}</span> µs are left
    </p>
    <div class="scale" bind:this={box}>
      {#each ruler.frames as frame, n (n)}
        <span
          class="frame"
          style:left={percent(frame.start_us)}
          style:width={percent(frame.end_us - frame.start_us)}
          title={frame.datagrams
            .map((d) => `${d.command} ${d.octets} octets, counter ${d.counter}`)
            .join('\n')}
        ></span>
      {/each}
      <span
        class="way"
        style:left={percent(ruler.wire_us)}
        style:width={percent(ruler.forward_us + ruler.cable_us)}
        title="{shown(ruler.forward_us, 4)} µs in devices, {shown(
          ruler.cable_us,
          4,
        )} µs in cables, out and back"
      ></span>
      {#each marks as node (node.row)}
        <button
          class="plain mark"
          class:held={held?.row === node.row}
          style:left={percent(place(node))}
          aria-label="Sync0 of {label(node.row)}, {shown(
            place(node),
          )} µs behind the cycle's beginning"
          title="Sync0 of {label(node.row)}: {shown(
            place(node),
          )} µs behind; arrows move it by 1 µs, with Shift by 10"
          disabled={!plant.mayEdit}
          onclick={() => onchoose(node.station)}
          onpointerdown={() => (held = { row: node.row, us: node.shift_us ?? 0 })}
          onkeydown={(event) => key(event, node.row, node.shift_us ?? 0)}
        ></button>
      {/each}
    </div>
    <p class="axis mono">
      <span>0</span><span>{shown(ruler.cycle_us / 2)}</span><span>{shown(ruler.cycle_us)} µs</span>
    </p>
    <p class="quiet">
      {#each ruler.tasks as task, n (task.task)}{n ? ' · ' : ''}{task.name} runs every
        <span class="mono">{shown(task.cycles, 4)}</span>
        {task.cycles === 1 ? 'cycle' : 'cycles'}{task.whole
          ? ''
          : ', which is no whole number'}{/each}
    </p>
  </section>
{/if}

<style>
  .cycle {
    margin: var(--s4) 0;
  }
  p {
    margin: 0 0 var(--s2);
    font-size: var(--f-note);
  }
  .scale {
    position: relative;
    height: 40px;
    background: var(--leaf);
    border: 1px solid var(--rule-2);
  }
  .frame,
  .way {
    position: absolute;
    top: 0;
    height: 20px;
    min-width: 2px;
  }
  .frame {
    background: var(--tarn);
    border-right: 1px solid var(--leaf);
  }
  .way {
    background: repeating-linear-gradient(135deg, var(--tarn-tint) 0 4px, var(--leaf) 4px 7px);
  }
  .mark {
    position: absolute;
    bottom: 0;
    width: 11px;
    height: 22px;
    transform: translateX(-50%);
    padding: 0;
    border: 0;
    border-radius: 0;
    cursor: ew-resize;
    background: linear-gradient(90deg, transparent 4px, var(--heather) 4px 7px, transparent 7px);
  }
  .mark.held {
    background: var(--heather-tint);
  }
  .axis {
    display: flex;
    justify-content: space-between;
    font-size: var(--f-tiny);
    color: var(--ink-2);
  }
</style>
