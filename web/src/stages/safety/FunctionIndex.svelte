<script lang="ts">
  import Mark from '../../kit/Mark.svelte';
  import { shown } from '../../kit/numbers';
  import type { SafetyWork } from './safetyWork.svelte';
  import TimeBar from './TimeBar.svelte';

  /** All safety functions, a line each: drawn to one time, what the figures reach, whether something is wrong. */
  let { work }: { work: SafetyWork } = $props();
  const plant = $derived(work.plant);
  let list = $state<HTMLElement>();

  const lines = $derived(
    work.functions.map((one) => ({ row: one, told: plant.part('function.told', one.id) })),
  );
  const most = $derived(
    Math.max(
      1,
      ...lines.map(({ row, told }) =>
        Math.max(
          row.asked_ms ?? 0,
          (told?.time.segments.reduce((sum, one) => sum + (one.worst_ms ?? 0), 0) ?? 0) +
            (told ? told.time.fault_ms + told.time.delay_ms + (told.time.stop_ms ?? 0) : 0),
        ),
      ),
    ),
  );
  const worst = (id: string) => {
    const ids = [id, ...plant.list('safety_parts', 'function', id).map((part) => part.id)];
    const found = plant.findingsAt(ids).filter((f) => f.severity !== 'note');
    const state = found.some((f) => f.severity === 'error') ? 'error' : 'warning';
    return { count: found.length, state: state as 'error' | 'warning' };
  };
  function reaches(told: (typeof lines)[number]['told']): string {
    if (!told?.level.counted.length) return '';
    if (told.level.at_least) return 'level not known';
    return told.level.level ? `PL ${told.level.level}` : 'no level';
  }

  function key(event: KeyboardEvent) {
    const by = event.key === 'ArrowDown' ? 1 : event.key === 'ArrowUp' ? -1 : 0;
    const at = work.functions.findIndex((row) => row.id === work.current?.id);
    const next = work.functions[at + by];
    if (!by || !next) return;
    event.preventDefault();
    work.open(next.id);
    list?.querySelectorAll<HTMLElement>('button')[at + by]?.focus();
  }
</script>

<!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
<ul bind:this={list} aria-label="Safety functions" onkeydown={key}>
  {#each lines as { row, told } (row.id)}
    {@const found = worst(row.id)}
    <li class:current={row.id === work.current?.id}>
      <button
        class="plain"
        aria-current={row.id === work.current?.id ? 'true' : undefined}
        onclick={() => work.open(row.id)}
      >
        <strong title={row.name}>{row.name}</strong>
        <span
          >{#if told}<TimeBar
              {told}
              asked={row.asked_ms ?? null}
              {most}
              label="Time of {row.name}"
            />{/if}</span
        >
        <span class="mono number"
          >{told?.time.total_ms != null ? `${shown(told.time.total_ms, 5)} ms` : '–'}</span
        >
        <span class="mono quiet">{row.asked_ms != null ? `of ${shown(row.asked_ms, 5)}` : ''}</span>
        <span>{reaches(told)}<span class="quiet">{row.asked ? ` of ${row.asked}` : ''}</span></span>
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
    grid-template-columns: minmax(0, 1fr) 320px 78px 62px 132px 36px;
    gap: var(--s4);
    align-items: center;
    width: 100%;
    text-align: left;
    padding: var(--s1) var(--s3);
    min-height: 30px;
    font-weight: 400;
  }
  button > * {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .number {
    text-align: right;
  }
  .current button {
    background: var(--leaf);
    box-shadow: inset 3px 0 0 var(--heather);
  }
  @container (max-width: 760px) {
    button {
      grid-template-columns: minmax(0, 1fr) 320px 78px 36px;
    }
    button > :nth-child(4),
    button > :nth-child(5) {
      display: none;
    }
  }
</style>
