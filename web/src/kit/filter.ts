/** Filters: words and key:value; a blank is and, | is or, - is not, quotes keep blanks. */
export type Facts = { text: string; keys: Record<string, string> };
type Test = (facts: Facts) => boolean;

export function parseFilter(words: string): Test {
  const tokens = words.toLowerCase().match(/-?(?:[a-z]+:)?"[^"]*"?|\||[^\s|]+/g) ?? [];
  const groups: Test[][] = [];
  let or = false;
  for (const token of tokens) {
    if (token === '|') {
      or = groups.length > 0;
      continue;
    }
    const test = single(token);
    if (or) groups.at(-1)!.push(test);
    else groups.push([test]);
    or = false;
  }
  return (facts) => groups.every((any) => any.some((test) => test(facts)));
}

function single(token: string): Test {
  const not = token.length > 1 && token.startsWith('-');
  const bare = (not ? token.slice(1) : token).replaceAll('"', '');
  const [key, ...rest] = bare.split(':');
  const value = rest.join(':');
  const test: Test = value
    ? (facts) => (facts.keys[key!] ?? '').toLowerCase().includes(value)
    : (facts) => facts.text.toLowerCase().includes(bare);
  return not ? (facts) => !test(facts) : test;
}
