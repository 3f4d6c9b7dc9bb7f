<script lang="ts">
  import LiveValue from '../../../kit/LiveValue.svelte';
  import { shown } from '../../../kit/numbers';
  import { modulesOn } from '../../../plant/rails';
  import type { PlantStore } from '../../../plant/store.svelte';
  import PortDevice from './PortDevice.svelte';

  /** The ports of an IO-Link master side by side: what is plugged in, what it does there, how often it is asked. */
  let {
    plant,
    rail,
    chosen,
    controller,
    onchoose,
  }: {
    plant: PlantStore;
    rail: string;
    chosen: string;
    controller: string | undefined;
    onchoose: (id: string) => void;
  } = $props();

  let list = $state<HTMLElement>();
  const MODES: Record<string, string> = {
    data: 'IO-Link',
    DI: 'digital in',
    DO: 'digital out',
    off: 'nothing plugged in',
  };

  const told = $derived(plant.part('rail.master', rail));
  const kinds = $derived(modulesOn(plant, rail));
  const own = $derived(told?.ports.find((port) => port.module && port.module === chosen));
  const known = $derived(
    {
      file: 'Its file says where each port lies.',
      slots: 'Each slot is a port.',
      set: 'Where each port lies is set by hand.',
      '': 'Nobody says yet where the ports lie.',
    }[told?.known ?? ''],
  );

  const octets = (port: NonNullable<typeof told>['ports'][number]) =>
    [
      port.inward.octets ? `${port.inward.octets} in` : '',
      port.outward.octets ? `${port.outward.octets} out` : '',
    ]
      .filter(Boolean)
      .join(' · ');
  /** What it measures first, to be seen at a glance. */
  const first = (module: string) =>
    plant
      .part('module.channels', module)
      ?.channels.find((channel) => channel.signals.length && channel.data_type !== 'BOOL')
      ?.signals[0];
  const wrong = (module: string) => plant.findingsAt([module]).some((f) => f.severity === 'error');

  $effect(() => {
    const signals = told?.ports.flatMap((port) =>
      port.module ? [first(port.module)?.signal] : [],
    );
    if (plant.bench.running && signals)
      plant.bench.follow(signals.filter((id): id is string => !!id));
  });

  async function plug(port: number, type: string) {
    const name = plant.type(type)?.name ?? type;
    const edit = {
      kind: 'insert-modules' as const,
      rail,
      type,
      before: null,
      slot: port,
      count: 1,
      tag: '$m',
    };
    const answer = await plant.edit(edit, `Plug ${name} into port ${port}`).catch(() => null);
    const made = answer?.tags['$m'];
    if (made) onchoose(made);
  }

  async function unplug(port: NonNullable<typeof own>) {
    await plant
      .edit({ kind: 'remove', ids: [port.module] }, `Unplug ${port.label}`)
      .catch(() => {});
    onchoose(told?.head ?? '');
  }

  function key(event: KeyboardEvent) {
    if ((event.target as HTMLElement).matches('select')) return;
    const by = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0;
    if (by) {
      const all = [...(list?.querySelectorAll<HTMLElement>('button, select') ?? [])];
      all[all.indexOf(document.activeElement as HTMLElement) + by]?.focus();
    } else if (event.key === 'Delete' && own && plant.mayEdit) void unplug(own);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

{#if told}
  <section aria-label="Ports">
    <div class="row head">
      <h2>Ports</h2>
      <span class="quiet">{known}</span>
      <span class="wide"></span>
      <button class="plain" onclick={() => plant.select(rail)}>Where they lie …</button>
    </div>
    <!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
    <ul bind:this={list} onkeydown={key} style:--a-row={Math.min(told.ports.length, 8)}>
      {#each told.ports as port (port.port)}
        <li class={port.mode} class:current={port.module !== '' && port.module === chosen}>
          <span class="socket mono" class:wrong={port.module !== '' && wrong(port.module)}
            >{port.port}</span
          >
          {#if port.module}
            {@const row = plant.row('modules', port.module)}
            {@const measured = first(port.module)}
            <button
              class="plain"
              aria-pressed={port.module === chosen}
              aria-label="Port {port.port}: {port.label}"
              title={port.label}
              onclick={() => onchoose(port.module)}
            >
              <strong>{row?.designation || plant.type(row?.type ?? '')?.name || port.label}</strong>
              <span class="what">{plant.type(row?.type ?? '')?.called ?? row?.type}</span>
              <span class="mono quiet"
                >{port.mode === 'data' ? octets(port) || 'no data yet' : MODES[port.mode]}</span
              >
              <span class="quiet"
                >{port.cycle_ms ? `every ${shown(port.cycle_ms)} ms` : '\u00a0'}</span
              >
              <span class="now"
                >{#if measured}<LiveValue
                    {plant}
                    signal={measured.signal}
                    unit={plant.bench.running ? measured.unit : ''}
                  />{/if}</span
              >
            </button>
          {:else if plant.mayEdit}
            <select
              aria-label="Plug into port {port.port}"
              value=""
              onchange={(event) => void plug(port.port, event.currentTarget.value)}
            >
              <option value="">Plug in …</option>
              {#each kinds as kind (kind.key)}<option value={kind.key}>{kind.name}</option>{/each}
            </select>
          {:else}<span class="quiet">empty</span>{/if}
        </li>
      {/each}
    </ul>
    {#if own}
      <PortDevice {plant} port={own} {controller} {kinds} onunplug={() => void unplug(own)} />
    {/if}
  </section>
{/if}

<style>
  section {
    margin: var(--s5) 0;
  }
  .head {
    align-items: baseline;
    margin-bottom: var(--s2);
  }
  ul {
    display: grid;
    grid-template-columns: repeat(var(--a-row), minmax(0, 150px));
    gap: var(--s5) var(--s2);
    list-style: none;
    margin: 0;
    padding: var(--s4) 0 0;
    border-top: 6px solid var(--ink-2);
  }
  li {
    position: relative;
    display: grid;
    padding-top: var(--s7);
    min-width: 0;
  }
  /* The cable from the master's body to what hangs on it. */
  li::before {
    content: '';
    position: absolute;
    left: 17px;
    top: calc(-1 * var(--s4));
    height: 32px;
    border-left: 2px solid var(--ink-2);
  }
  .off::before {
    border-left-style: dotted;
    border-color: var(--rule-2);
  }
  .socket {
    position: absolute;
    left: 8px;
    top: -2px;
    width: 20px;
    height: 20px;
    border: 2px solid var(--ink-2);
    border-radius: 50%;
    background: var(--paper);
    font-size: var(--f-small);
    line-height: 16px;
    text-align: center;
  }
  .off .socket {
    border-color: var(--rule-2);
    color: var(--ink-3);
  }
  .socket.wrong {
    border-color: var(--bracken);
    color: var(--bracken);
    font-weight: 600;
  }
  button {
    display: grid;
    align-content: start;
    text-align: left;
    padding: var(--s2) var(--s3);
    background: var(--leaf);
    border: 1px solid var(--rule-2);
    font-size: var(--f-note);
    min-width: 0;
    line-height: 1.35;
  }
  .current button {
    border-color: var(--heather);
    box-shadow: inset 0 -3px 0 var(--heather);
  }
  button > * {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .what {
    font-size: var(--f-small);
  }
  @container (max-width: 700px) {
    ul {
      grid-template-columns: repeat(auto-fill, minmax(100px, 1fr));
    }
  }
  .now {
    min-height: 17px;
  }
  select {
    width: 100%;
    border-style: dashed;
    color: var(--ink-2);
  }
</style>
