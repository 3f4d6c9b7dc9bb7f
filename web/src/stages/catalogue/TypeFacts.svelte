<script lang="ts">
  import { got, http, type DeviceType, type Schemas } from '../../api/client';
  import { plural, shown } from '../../kit/numbers';
  import type { PlantStore } from '../../plant/store.svelte';
  import { pathTo } from '../../shell/places';
  import { router } from '../../shell/router.svelte';
  import { readAnew, type Tray } from './tray.svelte';

  /** One type: what it offers, in sizes of every unit, and where it is used. */
  let {
    plant,
    type,
    tray,
    placing,
    onplace,
    onremove,
  }: {
    plant: PlantStore;
    type: DeviceType;
    tray: Tray;
    placing: string;
    onplace: () => Promise<void>;
    onremove: () => void;
  } = $props();

  let detail = $state.raw<Schemas['TypeDetailOut'] | null>(null);

  $effect(() => {
    void plant.revision;
    const query = { name: type.key };
    http
      .GET('/api/plants/{key}/type', { params: { path: { key: plant.key }, query } })
      .then(
        (answer) =>
          (detail = answer.response.ok
            ? (got(answer) as unknown as Schemas['TypeDetailOut'])
            : null),
      )
      .catch(() => {});
  });

  const units = $derived(plant.catalogue.units);
  const inAll = (sizes: Record<string, number> | undefined) =>
    Object.entries(sizes ?? {})
      .filter(([unit]) => unit !== 'octets')
      .map(([unit, value]) => {
        const word = units[unit] ?? unit;
        return `${shown(value)} ${value === 1 ? word.replace('words', 'word') : word}`;
      })
      .join(' = ');
  const span = (s: Schemas['Span']) =>
    s.minimum === s.maximum ? (s.maximum ?? '?') : `${s.minimum ?? '?'} … ${s.maximum ?? '?'}`;
  const ms = (us: number | null | undefined) => (us == null ? '?' : shown(us / 1000));
  const between = (s: Schemas['Span']) =>
    s.minimum == null && s.maximum == null
      ? 'by hand'
      : s.minimum === s.maximum
        ? ms(s.maximum)
        : `${ms(s.minimum)} … ${ms(s.maximum)}`;

  async function anew() {
    const results = await readAnew(plant, type.sha256).catch(() => null);
    if (results) await tray.take(type.file, results);
  }
</script>

<header class="row">
  <h2>{type.name}</h2>
  <span class="quiet">{type.summary}</span>
  <span class="wide"></span>
  {#if type.outdated && plant.mayEdit}
    <button onclick={() => void anew()} title="The reader of this file has been improved since"
      >Read anew</button
    >
  {/if}
  {#if type.pin && plant.mayEdit}<button onclick={onremove}>Delete</button>{/if}
  {#if placing}<button class="primary" onclick={() => void onplace()}
      >Place it: {placing} <kbd>Enter</kbd></button
    >{/if}
</header>
<dl>
  <dt>Maker, order number</dt>
  <dd>{type.maker}{type.order_number ? `, ${type.order_number}` : ''}</dd>
  {#if type.file}<dt>From</dt>
    <dd>{type.file} <span class="mono quiet">{type.sha256.slice(0, 12)}…</span></dd>{/if}
  {#if detail}
    {#each [['Into the controller', detail.sizes.in, type.in_octets], ['Out of it', detail.sizes.out, type.out_octets]] as const as [label, sizes, octets] (label)}
      {#if octets}<dt>{label}</dt>
        <dd>
          <span class="mono">{octets}</span> <span class="unit">octets</span>
          <span class="quiet">= {inAll(sizes)}</span>
        </dd>{/if}
    {/each}
    {#if detail.used_at.length}<dt>Used by</dt>
      <dd>
        {#each detail.used_at.slice(0, 12) as use, n (use.id)}{n ? ', ' : ''}<button
            class="link"
            onclick={() => router.go(pathTo(plant, use.id))}>{use.label}</button
          >{/each}{detail.used_at.length > 12 ? ` and ${detail.used_at.length - 12} more` : ''}
      </dd>{/if}
    {#if detail.other.length}<dt>Also here</dt>
      <dd>{detail.other.map((o) => plant.type(o)?.file ?? o).join(', ')}</dd>{/if}
  {/if}
</dl>

{#if detail?.type.connections?.length}
  <table>
    <thead
      ><tr
        ><th>Connection</th><th>From → to</th><th class="number">Octets</th><th class="number"
          >Interval, ms</th
        ><th>Header</th></tr
      ></thead
    >
    <tbody>
      {#each detail.type.connections as connection (connection.key)}
        {#each connection.exchanges as exchange, n (n)}
          <tr>
            <td
              >{#if n === 0}{connection.label}
                <span class="quiet">{connection.applications.join(', ')}</span>{/if}</td
            >
            <td
              >{exchange.direction === 'in'
                ? `${type.name} → controller`
                : `controller → ${type.name}`}
              <span class="quiet"
                >{exchange.term}{exchange.point == null ? '' : `, point ${exchange.point}`}</span
              ></td
            >
            <td class="number">{span(exchange.octets)}</td>
            <td class="number">{between(exchange.interval_us)}</td>
            <td class="quiet"
              >{exchange.format === 'header-32' ? '32-bit run/idle' : exchange.format}{exchange
                .transfers.length
                ? `, ${exchange.transfers.join(' or ')}`
                : ''}</td
            >
          </tr>
        {/each}
      {/each}
    </tbody>
  </table>
{/if}
{#if detail?.type.modules?.length}
  <table>
    <thead
      ><tr
        ><th>Module</th><th>Identifier</th><th class="number">In</th><th class="number">Out</th><th
          >Settings</th
        ></tr
      ></thead
    >
    <tbody>
      {#each detail.type.modules.slice(0, 60) as module (module.key)}
        <tr
          ><td>{module.label}</td><td class="mono"
            >{module.profinet
              ? `16#${module.profinet.ident.toString(16).toUpperCase().padStart(8, '0')}`
              : module.identifiers.map((i) => i.octets).join(' · ')}</td
          ><td class="number">{module.in_octets}</td><td class="number">{module.out_octets}</td><td
            class="quiet"
            >{module.parameters.length ? plural(module.parameters.length, 'setting') : ''}</td
          ></tr
        >
      {/each}
    </tbody>
  </table>
{/if}
{#if detail?.type.registers?.length}
  <table>
    <thead
      ><tr
        ><th>Register</th><th>Name</th><th>Type</th><th>Access</th><th class="number">Scale</th><th
          >Unit</th
        ></tr
      ></thead
    >
    <tbody>
      {#each detail.type.registers.slice(0, 60) as register (register.key)}
        <tr
          ><td class="mono"
            >{register.reference}{register.bit == null ? '' : `, bit ${register.bit}`}
            <span class="quiet">address {register.address}</span></td
          ><td>{register.label}</td><td class="mono">{register.data_type}</td><td class="quiet"
            >{register.access}</td
          ><td class="number">{shown(register.scale)}</td><td>{register.unit}</td></tr
        >
      {/each}
    </tbody>
  </table>
{/if}
{#if detail?.type.parameters?.length && detail.type.kind === 'device'}
  <details>
    <summary>{plural(detail.type.parameters.length, 'parameter')}</summary>
    <table>
      <tbody>
        {#each detail.type.parameters.slice(0, 300) as parameter (parameter.key)}
          <tr
            ><td>{parameter.label}</td><td class="mono quiet">{parameter.data_type}</td><td
              class="number"
              >{parameter.minimum == null ? '' : `${parameter.minimum} … ${parameter.maximum}`}</td
            ><td class="number">{parameter.default ?? ''}</td><td>{parameter.unit}</td><td
              class="quiet">{(parameter.choices ?? []).map((c) => `${c[0]} ${c[1]}`).join(', ')}</td
            ></tr
          >
        {/each}
      </tbody>
    </table>
  </details>
{/if}

<style>
  header {
    align-items: baseline;
  }
  dl {
    display: grid;
    grid-template-columns: 140px 1fr;
    gap: var(--s1) var(--s5);
    margin: var(--s3) 0;
  }
  dt {
    color: var(--ink-2);
  }
  dd {
    margin: 0;
  }
  td {
    height: 24px;
  }
  table {
    margin-bottom: var(--s4);
  }
  .link {
    border: 0;
    padding: 0;
    font-weight: 500;
    text-decoration: underline;
  }
</style>
