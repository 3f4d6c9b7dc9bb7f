<script lang="ts">
  import { Problem, type FieldOut } from '../../api/client';

  /** One cell of the table of channels: a choice, a yes or no, or something typed. */
  let {
    field,
    disabled,
    onset,
  }: { field: FieldOut; disabled: boolean; onset: (value: unknown) => Promise<void> } = $props();

  let problem = $state('');
  const off = $derived(disabled || field.disabled !== '');
  const text = $derived(field.value == null ? '' : String(field.value));

  async function set(value: unknown) {
    try {
      await onset(value === '' ? null : value);
      problem = '';
    } catch (error) {
      problem = error instanceof Problem ? error.detail : String(error);
    }
  }
</script>

{#if field.kind === 'choice'}
  <select
    disabled={off}
    aria-label={field.label}
    value={field.value == null ? '' : JSON.stringify(field.value)}
    onchange={(event) =>
      void set(event.currentTarget.value === '' ? null : JSON.parse(event.currentTarget.value))}
  >
    {#if field.value == null}<option value="">–</option>{/if}
    {#each field.choices as choice (JSON.stringify(choice.value))}<option
        value={JSON.stringify(choice.value)}
        disabled={choice.disabled !== ''}>{choice.label}</option
      >{/each}
    {#if field.value != null && field.default == null}<option value="">–</option>{/if}
  </select>
{:else}
  <input
    class:number={field.kind !== 'text' && field.kind !== 'note'}
    class:bad={problem !== ''}
    disabled={off}
    value={text}
    aria-label={field.label}
    title={problem}
    onchange={(event) => void set(event.currentTarget.value)}
    onkeydown={(event) => {
      if (event.key === 'Escape') {
        event.currentTarget.value = text;
        problem = '';
      }
    }}
  />
{/if}
{#if problem}<span class="problem" role="alert">{problem}</span>{/if}

<style>
  select {
    max-width: 96px;
  }
  select,
  input {
    padding: 0 var(--s2);
    height: 22px;
    border-color: transparent;
    background: transparent;
    font-size: var(--f-note);
  }
  select:hover:enabled,
  input:hover:enabled,
  select:focus,
  input:focus {
    border-color: var(--rule-2);
    background: var(--leaf);
  }
  input {
    width: 96px;
    border-bottom-color: var(--rule);
  }
  .number {
    text-align: right;
    width: 64px;
    font-family: var(--mono);
  }
  .bad {
    border-color: var(--bracken);
  }
  .problem {
    display: block;
    color: var(--bracken);
    font-size: var(--f-small);
    white-space: normal;
    max-width: 220px;
  }
</style>
