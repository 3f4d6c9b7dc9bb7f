<script lang="ts">
  import { got, http, type DeviceType, type Schemas } from '../../api/client';
  import { shown } from '../../kit/numbers';
  import type { Clip } from './clips';
  import { modulesOn } from '../../plant/rails';
  import type { PlantStore } from '../../plant/store.svelte';

  /** The module types that could go onto the rail, each with what would be left. Type to filter; drag or Enter places. */
  let {
    plant,
    rail,
    before,
    instead,
    where,
    placing,
    onpick,
    onpaste,
    onhint,
    ongrab,
    onleave,
  }: {
    plant: PlantStore;
    rail: string;
    before: string | null;
    instead: string | null;
    where: string;
    placing: 'insert' | 'replace';
    onpick: (type: string) => void;
    onpaste: (clip: Clip) => void;
    onhint: (type: string) => void;
    ongrab: (event: PointerEvent, type: string) => void;
    onleave: () => void;
  } = $props();

  let words = $state('');
  let at = $state(-1);
  let demand = $state.raw<Schemas['DemandOut'] | null>(null);
  let input: HTMLInputElement;
  let templates = $state.raw<Schemas['TemplateOut'][]>([]);

  async function fetchTemplates() {
    const answer = await http.GET('/api/templates').catch(() => null);
    if (answer?.response.ok)
      templates = (got(answer) as Schemas['TemplateOut'][]).filter(
        (t) => t.kind === 'modules' || t.kind === 'rail',
      );
  }
  void fetchTemplates();

  async function forget(id: number) {
    await http
      .DELETE('/api/templates/{number}', { params: { path: { number: id } } })
      .catch(() => null);
    await fetchTemplates();
  }

  $effect(() => {
    void plant.revision;
    const query = {
      place: rail,
      ...(instead ? { instead } : before ? { before } : {}),
    };
    http
      .GET('/api/plants/{key}/demand', { params: { path: { key: plant.key }, query } })
      .then((answer) => (demand = got(answer)))
      .catch(() => {});
  });

  const types = $derived(modulesOn(plant, rail));
  const filtered = $derived(
    types.filter((t) => {
      const all =
        `${t.name} ${t.order_number} ${t.summary} ${t.channels.map((c) => c.kind).join(' ')}`.toLowerCase();
      return words
        .toLowerCase()
        .split(/\s+/)
        .every((word) => all.includes(word));
    }),
  );
  const octets = $derived(Math.max(...types.map((t) => Math.max(t.in_octets, t.out_octets)), 1));

  export function focus() {
    at = -1;
    words = '';
    input.focus();
  }

  function step(by: number) {
    at = Math.max(0, Math.min(filtered.length - 1, at + by));
    const type = filtered[at];
    if (type) onhint(type.key);
  }

  function key(event: KeyboardEvent) {
    if (event.key === 'ArrowDown') step(1);
    else if (event.key === 'ArrowUp') step(-1);
    else if (event.key === 'Enter') {
      const type = filtered[Math.max(at, 0)];
      if (type) onpick(type.key);
    } else if (event.key === 'Escape') {
      words = '';
      at = -1;
      onleave();
    } else return;
    event.preventDefault();
    event.stopPropagation();
  }

  const verdicts = $derived(new Map(demand?.verdicts.map((v) => [v.type, v])));

  /** What is left after placing; where another condition fails, that condition. */
  function left(type: DeviceType): { text: string; short: boolean } {
    const verdict = verdicts.get(type.key);
    if (!verdict) return { text: '', short: false };
    const failed = demand!.conditions.filter(
      (c) => verdict.fails.includes(c.key) && c.key !== 'power',
    );
    if (failed.length) return { text: failed.map((c) => c.label).join(', '), short: true };
    const short = verdict.fails.includes('power');
    return { text: verdict.left == null ? '' : `leaves ${shown(verdict.left)}`, short };
  }
</script>

<section>
  <header class="row">
    <h2>{placing === 'replace' ? 'Replace by' : 'Modules'}</h2>
    <input
      bind:this={input}
      bind:value={words}
      placeholder="Type part of a name or order number"
      aria-label="Filter the module types"
      oninput={() => {
        at = 0;
        const type = filtered[0];
        if (type && words) onhint(type.key);
      }}
      onkeydown={key}
    />
    <span class="quiet">{where}</span>
  </header>
  {#if templates.length && placing === 'insert'}
    <p class="row templates">
      <span class="quiet">Templates</span>
      {#each templates as template (template.id)}
        <span class="row template"
          ><button class="plain" onclick={() => onpaste(template.clip)}>{template.name}</button
          ><button
            class="plain forget"
            aria-label="Forget the template {template.name}"
            onclick={() => void forget(template.id)}>×</button
          ></span
        >
      {/each}
    </p>
  {/if}
  <ul
    role="listbox"
    aria-label="Module types"
    class:wide={filtered.some((type) => type.called.length > 7)}
  >
    {#each filtered as type, n (type.key)}
      {@const rest = left(type)}
      <li
        role="option"
        aria-selected={n === at}
        class:misfit={rest.short}
        title="{type.order_number} · {type.name === type.called ? type.summary : type.name}"
        onpointerdown={(event) => ongrab(event, type.key)}
        ondblclick={() => onpick(type.key)}
      >
        <strong>{type.called}</strong>
        <svg width="42" height="12" viewBox="-26 0 52 12" aria-hidden="true">
          <rect
            x={-(type.in_octets / octets) * 25}
            y="2"
            width={(type.in_octets / octets) * 25}
            height="8"
            class="in"
          />
          <rect x="0" y="2" width={(type.out_octets / octets) * 25} height="8" class="out" />
          <line x1="0" x2="0" y1="0" y2="12" />
        </svg>
        <span class="mono draw"
          >{type.kind === 'feed-in' && type.bus_supply_ma
            ? `+${type.bus_supply_ma}`
            : type.bus_current_ma}<span class="unit"> mA</span></span
        >
        <span class="mono left">{rest.text}</span>
      </li>
    {:else}
      <li class="none quiet">No module type matches.</li>
    {/each}
  </ul>
</section>

<style>
  header {
    margin: var(--s4) 0 var(--s2);
  }
  header input {
    width: 250px;
  }
  ul {
    list-style: none;
    margin: 0;
    padding: 0;
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(258px, 1fr));
    gap: 0 var(--s6);
  }
  li {
    display: grid;
    grid-template-columns: 48px 42px 64px minmax(0, 1fr);
    align-items: center;
    gap: var(--s3);
    height: 27px;
    border-bottom: 1px solid var(--rule);
    cursor: grab;
    user-select: none;
    touch-action: none;
    padding: 0 var(--s2);
  }
  strong {
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .wide {
    grid-template-columns: repeat(auto-fill, minmax(400px, 1fr));
  }
  .wide li {
    grid-template-columns: minmax(0, 2fr) 42px 64px minmax(0, 1fr);
  }
  li:hover {
    background: var(--leaf);
  }
  li[aria-selected='true'] {
    background: var(--heather-tint);
  }
  .draw {
    text-align: right;
  }
  .left {
    text-align: right;
    color: var(--ink-2);
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .misfit .left {
    color: var(--bracken);
  }
  .misfit strong,
  .misfit .draw {
    color: var(--ink-3);
  }
  .templates {
    flex-wrap: wrap;
    margin-bottom: var(--s2);
  }
  .template {
    gap: 0;
    border: 1px solid var(--rule-2);
  }
  .forget {
    color: var(--ink-3);
    padding: var(--s1) var(--s2);
  }
  .none {
    cursor: default;
  }
  .in {
    fill: var(--tarn);
  }
  .out {
    fill: var(--lichen);
  }
  line {
    stroke: var(--ink);
    stroke-width: 0.8;
  }
</style>
