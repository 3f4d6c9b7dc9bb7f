import { StateEffect, StateField, RangeSet, RangeSetBuilder, type Text } from '@codemirror/state';
import {
  Decoration,
  type DecorationSet,
  EditorView,
  GutterMarker,
  WidgetType,
  gutter,
} from '@codemirror/view';
import type { Beside, Use } from './beside';

export const besides = StateEffect.define<Beside>();

class FindingMark extends GutterMarker {
  constructor(
    readonly kind: 'error' | 'warning',
    readonly says: string,
  ) {
    super();
  }
  override eq(other: FindingMark) {
    return other.kind === this.kind && other.says === this.says;
  }
  override toDOM() {
    const mark = document.createElement('span');
    mark.className = `finding ${this.kind}`;
    mark.title = this.says;
    mark.setAttribute('role', 'img');
    mark.setAttribute('aria-label', this.says);
    mark.textContent = this.kind === 'error' ? '✕' : '▲';
    return mark;
  }
}

/**
 * The values of a line's variables. What they say stands in attributes that the style sheet shows: text within what is
 * edited could be taken for a part of it when somebody types over many lines.
 */
class LineValues extends WidgetType {
  constructor(readonly uses: Use[]) {
    super();
  }
  override eq(other: LineValues) {
    return (
      other.uses.length === this.uses.length &&
      this.uses.every((use, n) => use.variable === other.uses[n]!.variable)
    );
  }
  override toDOM() {
    const values = document.createElement('span');
    values.className = 'st-values';
    for (const use of this.uses) {
      const one = document.createElement('span');
      one.dataset.variable = use.variable;
      one.dataset.unit = use.unit;
      const name = document.createElement('i');
      name.dataset.says = use.name;
      one.append(name, document.createElement('b'), document.createElement('small'));
      values.append(one);
    }
    return values;
  }
  override ignoreEvent() {
    return true;
  }
}

const UNDER = Decoration.mark({ class: 'st-fault' });
const STOPPED = Decoration.line({ class: 'st-stopped' });

function lineOf(text: Text, number: number) {
  return text.line(Math.min(Math.max(number, 1), text.lines));
}

/** The piece of the text from a fault's place on: the word there, or one letter. */
export function faultSpan(text: Text, fault: { line: number; column: number }) {
  const line = lineOf(text, fault.line);
  const from = Math.min(line.from + fault.column - 1, line.to);
  const word = /^\w+|^\S/.exec(text.sliceString(from, line.to))?.[0].length ?? 0;
  // Where something is missing at the end of a line, its last letter stands for that.
  return word ? { from, to: from + word } : { from: Math.max(from - 1, line.from), to: from };
}

function marksOf(text: Text, beside: Beside): RangeSet<GutterMarker> {
  const found = new Map<number, FindingMark>();
  for (const { line, times } of beside.wrapped) {
    const often = times === 1 ? 'once' : `${times} times`;
    found.set(line, new FindingMark('warning', `Overflow or invalid result here, ${often}.`));
  }
  for (const fault of [...beside.faults].reverse()) {
    found.set(fault.line, new FindingMark('error', fault.text));
  }
  if (beside.stopped) found.set(beside.stopped.line, new FindingMark('error', beside.stopped.text));
  const marks = [...found].sort(([a], [b]) => a - b);
  const builder = new RangeSetBuilder<GutterMarker>();
  for (const [line, mark] of marks) {
    if (line <= text.lines) builder.add(text.line(line).from, text.line(line).from, mark);
  }
  return builder.finish();
}

function underlined(text: Text, beside: Beside) {
  const ranges = beside.faults
    .map((fault) => faultSpan(text, fault))
    .filter(({ from, to }) => to > from)
    .map(({ from, to }) => UNDER.range(from, to));
  const line = beside.stopped?.line ?? 0;
  if (line && line <= text.lines) ranges.push(STOPPED.range(text.line(line).from));
  return Decoration.set(ranges, true);
}

function valuesOf(text: Text, uses: Use[]) {
  const lines = new Map<number, Map<string, Use>>();
  for (const use of uses) {
    if (use.line > text.lines) continue;
    const line = lines.get(use.line) ?? lines.set(use.line, new Map()).get(use.line)!;
    if (!line.has(use.variable)) line.set(use.variable, use);
  }
  const widgets = [...lines].map(([number, own]) =>
    Decoration.widget({ widget: new LineValues([...own.values()]), side: 1 }).range(
      text.line(number).to,
    ),
  );
  return Decoration.set(widgets, true);
}

type Drawn = { marks: RangeSet<GutterMarker>; under: DecorationSet; values: DecorationSet };

const field = StateField.define<Drawn>({
  create: () => ({ marks: RangeSet.empty, under: Decoration.none, values: Decoration.none }),
  update(value, transaction) {
    let now = value;
    if (transaction.docChanged) {
      now = {
        marks: now.marks.map(transaction.changes),
        under: now.under.map(transaction.changes),
        values: now.values.map(transaction.changes),
      };
    }
    for (const effect of transaction.effects) {
      if (!effect.is(besides)) continue;
      const text = transaction.state.doc;
      const { uses } = effect.value;
      now = {
        marks: marksOf(text, effect.value),
        under: underlined(text, effect.value),
        values: uses ? valuesOf(text, uses) : now.values,
      };
    }
    return now;
  },
  provide: (own) => [
    EditorView.decorations.from(own, (value) => value.under),
    EditorView.decorations.from(own, (value) => value.values),
  ],
});

/** The column of findings, and what is drawn in and behind the lines. */
export const besideTheLines = [
  field,
  gutter({
    class: 'findings',
    markers: (view) => view.state.field(field).marks,
  }),
];
