<script lang="ts">
  import { stretchesOf, type PortField } from './fields';

  /** Process data as it travels, highest octet first, each bit with the field it belongs to. */
  let {
    label,
    octets,
    fields,
  }: { label: string; octets: number; fields: Pick<PortField, 'label' | 'bit' | 'bits'>[] } =
    $props();

  let lit = $state(-1);
  const A_LINE = 4;
  const stretches = $derived(stretchesOf(octets, fields));
  const lines = $derived(Math.ceil(octets / A_LINE));
  const words = $derived(
    fields.map((f) => `${f.label} bits ${f.bit} to ${f.bit + f.bits - 1}`).join('; '),
  );
</script>

<div>
  <p class="quiet">
    {label}
    {octets} octet{octets > 1 ? 's' : ''}, as they travel
  </p>
  <div
    class="bits"
    role="img"
    aria-label="{label}: {words}"
    style:grid-template-rows="repeat({lines}, 22px)"
  >
    {#each { length: octets }, octet (octet)}
      <span
        class="octet"
        style:grid-row={Math.floor(octet / A_LINE) + 1}
        style:grid-column="{(octet % A_LINE) * 8 + 1} / span 8"
        title="octet {octet}, bits {8 * (octets - octet) - 1}–{8 * (octets - octet - 1)}"
      ></span>
    {/each}
    {#each stretches as one (`${one.field}.${one.octet}`)}
      {@const field = fields[one.field]!}
      <span
        class="stretch"
        class:other={one.field % 2 === 1}
        class:lit={lit === one.field}
        style:grid-row={Math.floor(one.octet / A_LINE) + 1}
        style:grid-column="{(one.octet % A_LINE) * 8 + one.from + 1} / span {one.bits}"
        title="{field.label}, bit{field.bits > 1 ? 's' : ''} {field.bits > 1
          ? `${field.bit}–${field.bit + field.bits - 1}`
          : field.bit}"
        role="presentation"
        onpointerenter={() => (lit = one.field)}
        onpointerleave={() => (lit = -1)}>{one.bits < 4 ? '' : one.begins ? field.label : '…'}</span
      >
    {/each}
  </div>
</div>

<style>
  .bits {
    display: grid;
    grid-template-columns: repeat(32, minmax(0, 1fr));
    row-gap: var(--s1);
    max-width: 640px;
  }
  .octet {
    border: 1px solid var(--rule-2);
    background: repeating-linear-gradient(
      90deg,
      transparent 0 calc(12.5% - 1px),
      var(--rule) calc(12.5% - 1px) 12.5%
    );
  }
  .stretch {
    z-index: 1;
    margin: 1px 0;
    padding: 0 var(--s1);
    overflow: hidden;
    background: var(--tarn-tint);
    border-right: 1px solid var(--leaf);
    font-size: var(--f-small);
    line-height: 20px;
    white-space: nowrap;
    text-overflow: ellipsis;
  }
  .stretch.other {
    background: var(--lichen-tint);
  }
  .lit {
    box-shadow: inset 0 0 0 2px var(--heather);
  }
</style>
