import {
  autocompletion,
  closeBrackets,
  completionKeymap,
  type Completion,
  type CompletionContext,
} from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap, indentWithTab } from '@codemirror/commands';
import { bracketMatching, indentUnit } from '@codemirror/language';
import { search, searchKeymap } from '@codemirror/search';
import { Compartment, EditorState } from '@codemirror/state';
import { EditorView, drawSelection, keymap, lineNumbers } from '@codemirror/view';
import type { Schemas } from '../../../api/client';
import type { Beside } from './beside';
import { besideTheLines, besides, faultSpan } from './marks';
import { structuredText } from './structuredText';

type Known = Schemas['KnownNamesOut'];

const OWN = /\b([A-Za-z_]\w*(?:\s*,\s*[A-Za-z_]\w*)*)\s*:(?!=)/g;

/** What could be written here: the signals, what the text declares, the words of the language. */
function completions(known: Known) {
  const signals: Completion[] = known.names.map(({ name, type, writable }) => ({
    label: name,
    detail: writable ? type : `${type}, input`,
    type: 'variable',
  }));
  const words: Completion[] = known.words.map(({ word, kind, told }) => ({
    label: word,
    detail: told || kind,
    type: 'keyword',
    boost: -1,
  }));
  return (context: CompletionContext) => {
    const word = context.matchBefore(/[A-Za-z_][\w.[\]]*/);
    if (!word || (word.from === word.to && !context.explicit)) return null;
    const declared = [...context.state.doc.toString().matchAll(OWN)]
      .flatMap((found) => found[1]!.split(','))
      .map((name) => ({ label: name.trim(), detail: 'of this program', type: 'variable' }));
    return {
      from: word.from,
      options: [...declared, ...signals, ...words],
      validFor: /^[\w.[\]]*$/,
    };
  };
}

/** What the page's content security policy lets styles carry that are made in it. */
const nonce = () =>
  document.querySelector<HTMLMetaElement>('meta[name=style-nonce]')?.content ?? '';

/** A text being written, with what stands beside its lines. It knows nothing of where it is kept. */
export class TextEditor {
  readonly view: EditorView;
  private readonly locked = new Compartment();

  constructor(
    parent: HTMLElement,
    text: string,
    known: Known,
    options: {
      label: string;
      locked: boolean;
      changed: () => void;
      left: () => void;
      save: () => void;
    },
  ) {
    const save = { key: 'Mod-s', run: () => (options.save(), true), preventDefault: true };
    this.view = new EditorView({
      parent,
      state: EditorState.create({
        doc: text,
        extensions: [
          EditorView.cspNonce.of(nonce()),
          besideTheLines,
          lineNumbers(),
          history(),
          drawSelection(),
          EditorView.lineWrapping,
          bracketMatching(),
          closeBrackets(),
          indentUnit.of('  '),
          search({ top: true }),
          autocompletion({ override: [completions(known)], icons: false }),
          structuredText(known.words.filter((w) => w.kind !== 'function').map((w) => w.word)),
          keymap.of([
            save,
            ...completionKeymap,
            ...searchKeymap,
            ...historyKeymap,
            ...defaultKeymap,
            indentWithTab,
          ]),
          this.locked.of(EditorState.readOnly.of(options.locked)),
          EditorView.contentAttributes.of({ 'aria-label': options.label, spellcheck: 'false' }),
          EditorView.updateListener.of((update) => {
            if (update.docChanged) options.changed();
            if (update.focusChanged && !update.view.hasFocus) options.left();
          }),
        ],
      }),
    });
  }

  get text(): string {
    return this.view.state.doc.toString();
  }

  /** Another text, changed only where it differs, so that the cursor stays where it was. */
  replace(text: string): void {
    const old = this.text;
    if (old === text) return;
    let from = 0;
    const most = Math.min(old.length, text.length);
    while (from < most && old[from] === text[from]) from++;
    let same = 0;
    while (same < most - from && old.at(-1 - same) === text.at(-1 - same)) same++;
    this.view.dispatch({
      changes: { from, to: old.length - same, insert: text.slice(from, text.length - same) },
    });
  }

  lock(locked: boolean): void {
    this.view.dispatch({ effects: this.locked.reconfigure(EditorState.readOnly.of(locked)) });
  }

  tell(beside: Beside): void {
    this.view.dispatch({ effects: besides.of(beside) });
  }

  /** So many letters from a place on are written anew. */
  mend(fix: Schemas['FixTold']): void {
    const line = this.view.state.doc.line(Math.min(fix.line, this.view.state.doc.lines));
    const from = Math.min(line.from + fix.column - 1, line.to);
    const to = Math.min(from + fix.letters, line.to);
    this.view.dispatch({
      changes: { from, to, insert: fix.by },
      selection: { anchor: from + fix.by.length },
    });
    this.view.focus();
  }

  /** The cursor there, in the middle of what is seen. */
  goTo(place: { line: number; column: number }): void {
    const { from } = faultSpan(this.view.state.doc, place);
    this.view.dispatch({
      selection: { anchor: from },
      effects: EditorView.scrollIntoView(from, { y: 'center' }),
    });
    this.view.focus();
  }

  close(): void {
    this.view.destroy();
  }
}
