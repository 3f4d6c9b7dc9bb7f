import { HighlightStyle, StreamLanguage, syntaxHighlighting } from '@codemirror/language';
import { tags } from '@lezer/highlight';

/** How a text is told apart at a glance: words of the language, comments, numbers. The core alone understands it. */
export function structuredText(keywords: string[]) {
  const known = new Set(keywords.map((word) => word.toLowerCase()));
  const language = StreamLanguage.define<{ until: string }>({
    startState: () => ({ until: '' }),
    token(stream, state) {
      if (state.until) {
        if (stream.skipTo(state.until)) {
          stream.match(state.until);
          state.until = '';
        } else stream.skipToEnd();
        return 'comment';
      }
      if (stream.eatSpace()) return null;
      if (stream.match('//')) {
        stream.skipToEnd();
        return 'comment';
      }
      const opened = stream.match(/^(\(\*|\/\*)/) as RegExpMatchArray | null;
      if (opened) {
        state.until = opened[0] === '(*' ? '*)' : '*/';
        return 'comment';
      }
      if (stream.match(/^([A-Za-z]+#|\d)[\w#.]*/)) return 'number';
      const word = stream.match(/^[A-Za-z_]\w*/) as RegExpMatchArray | null;
      if (word) return known.has(word[0].toLowerCase()) ? 'keyword' : null;
      stream.next();
      return null;
    },
    languageData: { commentTokens: { line: '//', block: { open: '(*', close: '*)' } } },
  });
  const looks = HighlightStyle.define([
    { tag: tags.keyword, class: 'st-word' },
    { tag: tags.comment, class: 'st-comment' },
    { tag: tags.number, class: 'st-number' },
  ]);
  return [language, syntaxHighlighting(looks)];
}
