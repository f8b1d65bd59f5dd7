"use strict";
// Rows that only repeat parameters, those together that repeat the same in the same way, however the words around that differ: as
// reports/echoing.py folds them.
const echoing = (() => {
  const LITERAL = /((?<=›)[^‹]+|^[^‹]+|‹[^‹›(]*:[^‹›]*›|"(?:[^"\\]|\\.)*"|\b[0-9]+\b|\b[a-z][a-z0-9_]*(?:\/[\w.%-]+)+)/;

  const LONG = 24;

  // What texts begin and end with, each only so long, and a mark for what is between, where they differ.
  function inCommon(texts) {
    const letters = texts.map((each) => [...each]), [first] = letters;
    if (texts.every((each) => each === texts[0])) return first.length > LONG ? `${first.slice(0, LONG).join("")}…` : texts[0];
    const least = Math.min(...letters.map((each) => each.length));
    let begins = 0, ends = 0;
    while (begins < least && letters.every((each) => each[begins] === first[begins])) begins += 1;
    while (ends < least - begins && letters.every((each) => each.at(-1 - ends) === first.at(-1 - ends))) ends += 1;
    return `${first.slice(0, Math.min(begins, LONG)).join("")}…${ends ? first.slice(-ends).slice(-LONG).join("") : ""}`;
  }

  // [label, pattern, rows] of each, the most rows first; of a list of [resource, row].
  function folds(rows) {
    const alike = new Map();
    for (const [resource, row] of rows) {
      const isWhole = resource.type === "output" || (resource.type === "document" && /^[0-9]+$/.test(row[0]));
      const pieces = row[8].split(LITERAL);
      const key = JSON.stringify([isWhole ? resource.address : row[0], pieces.filter((_, index) => index % 2 === 0)]);
      if (!alike.has(key)) alike.set(key, []);
      alike.get(key).push([row, pieces]);
    }
    const found = new Map();
    for (const [key, held] of alike) {
      const [label, fixed] = JSON.parse(key);
      const pattern = fixed.map((each, index) => index < fixed.length - 1 ? each + inCommon(held.map(([, pieces]) => pieces[2 * index + 1])) : each).join("");
      const before = found.get(pattern);
      found.set(pattern, [before ? `${before[0]}, ${label}` : label, pattern, [...(before?.[2] ?? []), ...held.map(([row]) => row)]]);
    }
    const isBefore = (one, other) => one[0] === other[0] ? one[1] < other[1] : one[0] < other[0];
    return [...found.values()].sort((one, other) => other[2].length - one[2].length || (isBefore(one, other) ? -1 : 1));
  }

  return { folds };
})();
