// Keys and what they do, in one table each: what a key does and what `?` tells of it come from the same line.
//
// A table is a list of { chords, shown, words, act, when }: chords with spaces between, as chordOf names them; what is shown of them;
// what they do in words; what does it, false where it did nothing after all; and when it holds, always where that is left out.

/** A key with what is held beside it: `t`, `A`, `Shift+ArrowLeft`, `Ctrl+Shift+a`. */
export function chordOf(e) {
  const ctrl = e.ctrlKey || e.metaKey, one = e.key.length === 1, key = e.key === " " ? "Space" : ctrl ? (one ? e.key.toLowerCase() : e.key) : e.key;
  return `${ctrl ? "Ctrl+" : ""}${e.altKey ? "Alt+" : ""}${e.shiftKey && (ctrl || !one) ? "Shift+" : ""}${key}`;
}

/** Does what a table has for a key; true where something was done. */
export function pressed(table, e) {
  const chord = chordOf(e), line = table.find((l) => l.chords.split(" ").includes(chord) && (l.when?.() ?? true));
  return Boolean(line) && line.act(e) !== false;
}

/** A table as terms and what they mean. */
export function listed(table) {
  return table.filter((l) => l.words).flatMap(({ shown, chords, words }) => [
    Object.assign(document.createElement("dt"), { textContent: shown ?? chords }),
    Object.assign(document.createElement("dd"), { textContent: words }),
  ]);
}
