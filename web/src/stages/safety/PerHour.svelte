<script lang="ts">
  /** Dangerous failures an hour as they are written: 1.3·10⁻⁷. */
  let { value }: { value: number | null | undefined } = $props();

  const parts = $derived((value ?? 0).toExponential(1).split('e'));
</script>

{#if value == null}not given{:else if value === 0}0{:else}{parts[0]}·10<sup
    >{Number(parts[1]) < 0 ? '−' : ''}{Math.abs(Number(parts[1]))}</sup
  >{/if}

<style>
  sup {
    font-size: var(--f-tiny);
    line-height: 0;
  }
</style>
