"use strict";
// Resources that are written alike have what is the same everywhere as values only, and what is written there once for all of them: their rows
// are made here, as reports/board.py makes those of all others.
const unfolding = (() => {
  // The resources, nodes and texts of all shares, in which rows name texts by their number. `differing` are the rows that may differ; all `rows` of a
  // resource are made when somebody asks for them, and may bring further texts.
  function unfold(shares, environments) {
    const columns = environments.length;
    const whole = { resources: [], nodes: {}, texts: [] };
    const numbers = new Map();
    const number = (told) => {
      if (!numbers.has(told)) numbers.set(told, whole.texts.push(told) - 1);
      return numbers.get(told);
    };
    for (const share of shares) {
      const known = share.texts.map(number);
      for (const row of share.shared.flat()) row[1] = row[1].map((each) => each < 0 || typeof each === "string" ? each : known[each]);
      for (const resource of share.resources) {
        for (const row of resource.rows) row[1] = row[1].map((each) => each < 0 ? each : known[each]);
        for (const use of resource.shared ?? []) if (use[3]) use[3] = use[3].map((each) => each < 0 ? each : known[each]);
        if ("alike" in resource) layOut(resource, share, columns, number);
        else resource.differing = resource.rows;
        whole.resources.push(resource);
      }
      for (const [key, node] of Object.entries(share.nodes)) whole.nodes[key] = Array.isArray(node) ? nodeOf(node, share, environments) : node;
    }
    const isBeside = ({ type }) => Number(["output", "document"].includes(type));
    whole.resources.sort((one, other) => isBeside(one) - isBeside(other) || (isBeside(one) ? 0 : byLetters(one.address, other.address)));
    return whole;
  }

  // A node of a use of a module, by what it has in common with those of other uses.
  function nodeOf([form, use, values], { forms, uses }, environments) {
    const [name, kind, pieces, place, reads] = forms[form], [prefix, around, line, digits] = uses[use];
    const held = environments.map((each, column) => [each, values[column]]).filter(([, value]) => value !== null);
    return {
      kind, name, written: woven(pieces, digits), place: typeof place === "string" ? place : `${place[0]}:${line + place[1]}`,
      reads: reads.map(([where, each]) => (where ? around : prefix) + each), values: Object.fromEntries(held), set: {},
    };
  }

  function layOut(resource, share, columns, number) {
    const group = share.alike[resource.alike], { parts, lists } = group;
    const colon = resource.place.lastIndexOf(":");
    const file = resource.place.slice(0, colon), first = Number(resource.place.slice(colon + 1));
    let leaves = null;
    const held = () => leaves ??= leavesOf(valueOf(group.form, resource), "", "", "", lists);
    // What is written at a place, where, what that reads, and what it is about.
    const about = (at) => {
      const [below, which, aspect] = parts[at];
      const [written, reads] = which < 0 ? [asWritten(held().find(([, each]) => each === at)[2]), []] : writtenAt(which, group, resource, share);
      return [written, `${file}:${first + below}`, reads, aspect];
    };
    // What an expression shares with others has the values between the words around it, where there may be such words, or values of its own and what
    // these repeat; or it says by itself what is written, and so many lines below.
    const shared = resource.shared.flatMap(([which, before, behind, own, repeated]) => share.shared[which].map((row) => {
      if (row.length > 6) return [...row.slice(0, 5), typeof row[5] === "number" ? `${file}:${first + row[5]}` : row[5], ...row.slice(6)];
      const [label, values, counts, drivers, at, echo] = row;
      const within = (text) => `${before ?? ""}${text}${behind ?? ""}`;
      const shown = (own ?? values).map((each) => typeof each === "string" ? number(shownAs(within(each))) : each);
      return [label, shown, counts, drivers, at, repeated ?? (echo && within(echo))];
    }));
    const told = resource.rows.concat(shared).map((row) => row.length > 6 ? row : [...row.slice(0, 4), ...about(row[4]), row[5]]);
    // Where no items of lists are called by what is in them, parts are called the same in all that are written alike.
    const rank = () => Object.keys(lists).length ? ranks(held()) : group.rank ??= ranks(held());
    resource.differing = told.length > 1 ? inOrder(told, rank()) : told;
    let rows = null;
    Object.defineProperty(resource, "rows", { enumerable: true, get: () => rows ??= inOrder([...told, ...same()], rank()) });

    // The rows of what is the same everywhere.
    function same() {
      const presence = told.find((row) => row[0] === "present");
      const own = told.filter((row) => row !== presence).map((row) => row[0]);
      const inside = (one, other) => one === other || one.startsWith(`${other}/`);
      const places = Array.from({ length: columns }, (_, column) => !presence || presence[1][column] >= 0);
      return held().filter(([label]) => !own.some((each) => inside(label, each) || inside(each, label))).map(([label, at, value]) => {
        const shown = number(cut(shownAs(value)));
        return [label, places.map((there) => there ? shown : -1), 0, [], ...about(at), ""];
      });
    }
  }

  // Where the first environment has what a row is about, or what is around it.
  function ranks(held) {
    const order = new Map(held.map(([label], index) => [label, index]));
    const known = new Map([["present", -1]]);
    const found = (label) => {
      for (let around = label; around; around = around.slice(0, Math.max(0, around.lastIndexOf("/")))) {
        if (order.has(around)) return order.get(around);
        const last = held.findLastIndex(([each]) => each.startsWith(`${around}/`));
        if (last >= 0) return around === label ? held.findIndex(([each]) => each.startsWith(`${around}/`)) : last + 0.5;
      }
      const next = held.findIndex(([each]) => each.split("/")[0] > label.split("/")[0]);
      return next < 0 ? held.length : next - 0.5;
    };
    return (label) => {
      if (!known.has(label)) known.set(label, found(label));
      return known.get(label);
    };
  }
  const inOrder = (rows, rank) => rows.map((row) => [rank(row[0]), row]).sort(([one, row], [other, next]) => one - other || byLetters(nameIn(row), nameIn(next))).map(([, row]) => row);

  // The digits of a resource among the words that it has in common with others.
  const woven = (pieces, digits) => pieces.map((each) => typeof each === "number" ? digits[each] : each).join("");

  // What is written where something is computed, and the nodes that it reads.
  function writtenAt(which, { written }, resource, share) {
    if (!written[which]) return share.written[resource.written[written.slice(0, which).filter((each) => !each).length]];
    const [pieces, reads] = written[which];
    const keys = reads.map((each) => typeof each === "number" ? resource.names[each] : each).filter(Boolean);
    return [woven(pieces, resource.digits), [...new Set(keys)]];
  }

  // The properties of a resource: what is constant is made of its digits.
  function valueOf([kind, made], resource) {
    if (kind === "map") return Object.fromEntries(Object.entries(made).map(([name, form]) => [name, valueOf(form, resource)]));
    if (kind === "list") return made.map((form) => valueOf(form, resource));
    return kind === "told" ? resource.values[made] : kind === "text" ? woven(made, resource.digits) : kind === "integer" ? Number(resource.digits[made]) : made;
  }

  // [label, place, value] of each part: items of lists by their keys, where they have some.
  function leavesOf(value, label, at, within, lists) {
    const step = (path, name) => path ? `${path}/${name}` : `${name}`;
    const named = (name) => name.replaceAll("~", "~0").replaceAll("/", "~1");
    if (Array.isArray(value)) {
      if (!value.some((item) => isMap(item) || Array.isArray(item))) return [[label, at, value]];
      const key = lists[within];
      const keys = key === undefined ? [] : value.map((item) => isMap(item) && ["string", "number", "boolean"].includes(typeof item[key]) ? nameOf(item[key]) : null);
      const keyed = keys.length && !keys.includes(null) && new Set(keys).size === keys.length;
      return value.flatMap((item, index) => leavesOf(item, step(label, keyed ? named(keys[index]) : index), step(at, index), step(within, 0), lists));
    }
    if (!isMap(value) || !Object.keys(value).length) return [[label, at, value]];
    return Object.keys(value).sort(byLetters).flatMap((name) => leavesOf(value[name], step(label, named(name)), step(at, named(name)), step(within, named(name)), lists));
  }
  const nameIn = ([label]) => label.split("/")[0].replaceAll("~1", "/").replaceAll("~0", "~");
  const isMap = (value) => typeof value === "object" && value !== null && !Array.isArray(value) && !("" in value);
  const nameOf = (value) => value === true ? "True" : value === false ? "False" : String(value);
  // By code points, as the rows of all other resources are.
  const byLetters = (one, other) => {
    let at = 0;
    while (at < one.length && one[at] === other[at]) at += 1;
    return (one.codePointAt(at) ?? -1) - (other.codePointAt(at) ?? -1);
  };

  // A value in one line; a text that could be taken for something else in quotes.
  function shownAs(value) {
    if (typeof value === "string") return value === "" || value !== value.trim() || ["true", "false", "null"].includes(value) || /^[0-9]+$/.test(value.replace(".", "").replace(/^-+/, "")) ? JSON.stringify(value) : value;
    if (Array.isArray(value)) return `[${value.map(shownAs).join(", ")}]`;
    return value !== null && typeof value === "object" ? value[""] ?? "{}" : String(value);
  }
  const asWritten = (value) => cut(typeof value === "string" ? value.trim() : Array.isArray(value) ? `[${value.map((item) => JSON.stringify(item)).join(", ")}]` : value?.["="] ?? shownAs(value));
  const cut = (told) => told.length > 400 && /^[ -~]*$/.test(told) ? `${told.slice(0, 399)}…` : told;

  return unfold;
})();
