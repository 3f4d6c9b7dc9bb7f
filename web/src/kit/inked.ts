/** A text in three pieces: what is as in the original, what is other, and again what is as there. */
export function inked(original: string, text: string): [string, string, string] {
  let begin = 0;
  while (begin < text.length && text[begin] === original[begin]) begin++;
  let end = 0;
  while (
    end < text.length - begin &&
    end < original.length - begin &&
    text.at(-1 - end) === original.at(-1 - end)
  )
    end++;
  return [
    text.slice(0, begin),
    text.slice(begin, text.length - end),
    text.slice(text.length - end),
  ];
}
