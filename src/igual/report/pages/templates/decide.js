"use strict";
(() => {
  const data = JSON.parse(document.getElementById("data").textContent);
  const { values, items, lists, words } = data;
  const at = (id) => document.getElementById(id);
  const key = `igual-${data.id}`;
  const count = (number, thing) => `${number.toLocaleString("en")} ${thing}${number === 1 ? "" : "s"}`;

  // What was answered, in order: {place, order, rulings: [{value | kind, ruling, reason}]}; order is what was asked by then.
  const begin = () => ({ place: 0, order: items.map((_, place) => place), answers: [] });
  let state = begin();
  // All pages that are opened as files share one storage: what is in it may come from another page, and is checked.
  const isPlace = (one, end) => Number.isInteger(one) && one >= 0 && one < end;
  const isItem = (one) => (typeof one === "string" ? /^v[0-9]+$/.test(one) && isPlace(Number(one.slice(1)), values.length) : isPlace(one, items.length));
  const isOrder = (one) => Array.isArray(one) && one.every(isItem);
  const isText = (one) => one === undefined || typeof one === "string";
  const isRuling = (one) =>
    (one.kind === undefined ? isPlace(one.value, values.length) : isPlace(one.kind, items.length)) && typeof one.ruling === "string" && isText(one.reason);
  const isAnswer = (one) =>
    isOrder(one.order) && isPlace(one.place, one.order.length + 1) && isText(one.said) && Array.isArray(one.rulings) && one.rulings.every(isRuling);
  const isSound = (one) =>
    isOrder(one.order) && isPlace(one.place, one.order.length + 1) && Array.isArray(one.answers) && one.answers.every(isAnswer);
  let isSeen = true;
  try {
    const kept = JSON.parse(localStorage.getItem(key) ?? "null");
    if (kept && isSound(kept)) {
      state = kept;
      isSeen = !kept.answers.length;
    }
  } catch { /* A frame without storage, or something else in it: the answers live as long as the page. */ }
  const keep = () => {
    try {
      localStorage.setItem(key, JSON.stringify(state));
    } catch { /* as above */ }
  };
  // An item is a place in `items`, or "v3" for the fourth value alone.
  const itemAt = (one) => (typeof one === "string" ? { value: Number(one.slice(1)) } : items[one]);

  const rulings = () => {
    const ofValue = new Map();
    const ofKind = new Map();
    for (const answer of state.answers)
      for (const one of answer.rulings)
        if (one.kind === undefined) ofValue.set(one.value, one);
        else ofKind.set(one.kind, one);
    return { ofValue, ofKind };
  };
  const countLeft = () => {
    const { ofValue, ofKind } = rulings();
    const done = new Set(ofValue.keys());
    for (const [kind, one] of ofKind) if (one.ruling === words.yes) items[kind].members.forEach((value) => done.add(value));
    return values.length - done.size;
  };

  const make = (name, text, attributes = {}) => {
    const made = document.createElement(name);
    if (text !== undefined) made.textContent = text;
    for (const [attribute, given] of Object.entries(attributes)) made.setAttribute(attribute, given);
    return made;
  };
  const button = (shortcut, text, act) => {
    const made = make("button", undefined, { type: "button" });
    if (shortcut) made.append(make("kbd", shortcut));
    made.append(make("span", text));
    made.addEventListener("click", act);
    return made;
  };
  const tell = (text) => { at("told").textContent = text; };

  let keys = new Map();
  let shown = 0;
  const offer = (where, shortcut, text, act) => {
    keys.set(shortcut, act);
    where.append(button(shortcut, text, act));
  };

  // Values in `singly` are asked about next, one by one.
  const answer = (given, said, singly = []) => {
    state.answers.push({ place: state.place, order: [...state.order], rulings: given, said });
    askSingly(singly);
    state.place += 1;
    shown = 0;
    keep();
    tell("");
    draw(true);
  };
  const undo = () => {
    const last = state.answers.pop();
    if (!last) return tell("There is nothing to take back.");
    state.place = last.place;
    state.order = last.order;
    shown = 0;
    keep();
    draw(true);
    tell(`Taken back: ${last.said}`);
  };
  const skip = () => {
    state.place += 1;
    shown = 0;
    keep();
    draw(true);
  };
  const stop = () => {
    state.place = state.order.length;
    keep();
    draw(true);
  };
  const askSingly = (members) => {
    const alone = [...members].sort((one, other) => values[other].rows - values[one].rows);
    state.order.splice(state.place + 1, 0, ...alone.map((value) => `v${value}`));
  };

  const drawBeside = (card, one) => {
    if (!one.beside.length) return;
    const scroll = make("div", undefined, { class: "scroll", tabindex: "0", role: "region", "aria-label": "Some of its rows" });
    const table = make("table");
    const head = table.createTHead().insertRow();
    for (const [name] of one.beside[0]) head.append(make("th", name, { scope: "col" }));
    const body = table.createTBody();
    for (const row of one.beside) {
      const line = body.insertRow();
      for (const [, text] of row) line.insertCell().textContent = text;
    }
    scroll.append(table);
    card.append(scroll);
  };

  const fold = (text) => text.normalize("NFKD").replace(/\p{M}/gu, "").toLowerCase();
  const folded = new Map();
  const search = (column, sought) => {
    if (!folded.has(column))
      folded.set(column, (lists[column] ?? []).map(([entry, drawn, ...aliases]) => [fold([entry, ...aliases].join("\n")), entry, drawn || entry]));
    const wanted = fold(sought).trim();
    if (!wanted) return [];
    const found = folded.get(column).filter(([texts]) => texts.includes(wanted));
    const rank = ([texts, entry]) => (texts.startsWith(wanted) ? 0 : 1000) + entry.length;
    return found.sort((one, other) => rank(one) - rank(other)).slice(0, 9);
  };
  const drawSearch = (card, one, rule) => {
    if (!(lists[one.column] ?? []).length) return undefined;
    const field = make("div", undefined, { class: "field" });
    const label = make("label", "Search the list ");
    const input = make("input", undefined, { type: "search", autocomplete: "off", spellcheck: "false" });
    label.append(input);
    field.append(label);
    const found = make("ul", undefined, { class: "picks" });
    const list = () => {
      const some = search(one.column, input.value);
      found.replaceChildren(...some.map(([, entry, drawn]) => {
        const line = make("li");
        line.append(button("", drawn, () => rule(entry)));
        return line;
      }));
      if (input.value.trim() && !some.length) found.append(make("li", "No entry holds that."));
      return some;
    };
    input.addEventListener("input", list);
    input.addEventListener("keydown", (event) => {
      const some = event.key === "Enter" ? list() : [];
      if (some.length) {
        event.preventDefault();
        rule(some[0][1]);
      }
    });
    card.append(field, found);
    return input;
  };
  const drawNew = (card, one, rule) => {
    const field = make("div", undefined, { class: "field" });
    field.hidden = true;
    const label = make("label", "Spelled ");
    const input = make("input", undefined, { type: "text", autocomplete: "off", spellcheck: "false" });
    input.value = one.value;
    label.append(input);
    const take = () => {
      const spelled = input.value.trim();
      rule(spelled === "" || spelled === one.value ? words.new : `${words.new}: ${spelled}`);
    };
    input.addEventListener("keydown", (event) => { if (event.key === "Enter") { event.preventDefault(); take(); } });
    field.append(label, button("", "Add it to the list", take));
    card.append(field);
    return () => { field.hidden = false; input.focus(); input.select(); };
  };

  const drawValue = (card, place) => {
    const one = values[place];
    const rule = (ruling) => answer([{ value: place, ruling, reason: reason.value.trim() }], `${one.drawn} → ${ruling}`);
    card.append(make("p", `${one.column} · ${one.size}`, { class: "quiet" }), make("h2", one.drawn, { tabindex: "-1" }));
    if (one.why) card.append(make("p", one.why, { class: "quiet" }));
    drawBeside(card, one);
    const picks = make("ul", undefined, { class: "picks" });
    one.choices.forEach(([entry, drawn, score], number) => {
      const line = make("li");
      const shortcut = String(number + 1);
      const act = () => rule(entry);
      const pick = button(number < 9 ? shortcut : "", drawn, act);
      pick.append(make("span", score, { class: "score" }));
      if (number === 0 && one.isLikely) {
        pick.firstChild.textContent = "enter";
        keys.set("enter", act);
      }
      if (number < 9) keys.set(shortcut, act);
      line.append(pick);
      picks.append(line);
    });
    card.append(picks);
    const input = drawSearch(card, one, rule);
    if (input) keys.set("/", () => input.focus());
    const others = make("div", undefined, { class: "others" });
    const openNew = drawNew(card, one, rule);
    offer(others, "n", "new entry", openNew);
    offer(others, "k", "keep it", () => rule(words.keep));
    offer(others, "x", "not in the list", () => rule(words.notListed));
    drawMoves(others);
    const field = make("div", undefined, { class: "field" });
    const label = make("label", "Reason, if you like ");
    const reason = make("input", undefined, { type: "text", autocomplete: "off" });
    label.append(reason);
    field.append(label);
    card.append(others, field);
  };

  const drawKind = (card, place) => {
    const one = items[place];
    shown = Math.max(shown, one.kind ? 5 : one.members.length);
    card.append(make("p", `${one.column} · ${one.size}`, { class: "quiet" }), make("h2", one.asked, { tabindex: "-1" }));
    if (shown < one.members.length) card.append(make("p", "The most doubtful:", { class: "quiet" }));
    const scroll = make("div", undefined, { class: "scroll", tabindex: "0", role: "region", "aria-label": "Values of this question" });
    const table = make("table", undefined, { class: "pairs" });
    const head = table.createTHead().insertRow();
    const rivals = one.members.some((value) => values[value].rival) ? ["may also be"] : [];
    for (const name of ["value", "would be", ...rivals, "score", "rows"]) head.append(make("th", name, { scope: "col" }));
    const body = table.createTBody();
    for (const value of one.members.slice(0, shown)) {
      const line = body.insertRow();
      const [, drawn, score] = values[value].choices[0];
      const also = rivals.map(() => values[value].rival);
      for (const text of [values[value].drawn, drawn, ...also, score, values[value].rows.toLocaleString("en")]) line.insertCell().textContent = text;
    }
    scroll.append(table);
    card.append(scroll);
    const others = make("div", undefined, { class: "others" });
    offer(others, "y", "yes", () => {
      const given = one.kind ? [{ kind: place, ruling: words.yes }] : one.members.map((value) => ({ value, ruling: values[value].choices[0][0] }));
      answer(given, `${one.asked} ${words.yes}`);
    });
    offer(others, "n", "no", () => answer(one.kind ? [{ kind: place, ruling: words.no }] : [], `${one.asked} ${words.no}`, one.members));
    offer(others, "o", "one by one", () => { askSingly(one.members); skip(); });
    if (shown < one.members.length) offer(others, "m", "see more", () => { shown += 20; draw(true); });
    drawMoves(others);
    card.append(others);
  };
  const drawUndo = (where) => {
    keys.set("u", undo);
    if (state.answers.length) where.append(button("u", "undo", undo));
  };
  const drawMoves = (where) => {
    offer(where, "s", "skip", skip);
    drawUndo(where);
    offer(where, "q", "stop", stop);
  };
  const drawEnd = (card) => {
    const left = countLeft();
    card.append(make("h2", left ? "That was the last question." : "Everything is answered.", { tabindex: "-1" }));
    const skipped = left ? `${count(left, "value")} left without an answer. ` : "";
    card.append(make("p", `${skipped}Save the sheet and send it back; igual review takes it.`));
    const others = make("div", undefined, { class: "others" });
    if (left) offer(others, "s", "see what is left", () => {
      const { ofValue, ofKind } = rulings();
      const isOpen = (one) => {
        const item = itemAt(one);
        return item.value === undefined ? !ofKind.has(one) && item.members.some((value) => !ofValue.has(value)) : !ofValue.has(item.value);
      };
      const open = state.order.filter(isOpen);
      const asked = new Set(open.map((one) => itemAt(one)).flatMap((item) => item.members ?? [item.value]));
      const settled = new Set([...ofKind].filter(([, one]) => one.ruling === words.yes).flatMap(([kind]) => items[kind].members));
      values.forEach((_, place) => { if (!asked.has(place) && !settled.has(place) && !ofValue.has(place)) open.push(`v${place}`); });
      state.place = 0;
      state.order = open;
      keep();
      draw(true);
    });
    drawUndo(others);
    card.append(others);
  };

  const draw = (moves) => {
    keys = new Map();
    const card = at("card");
    card.replaceChildren();
    const one = state.order[state.place];
    if (one === undefined) drawEnd(card);
    else if (itemAt(one).value !== undefined) drawValue(card, itemAt(one).value);
    else drawKind(card, one);
    const left = countLeft();
    const asked = one === undefined ? "" : `Question ${(state.place + 1).toLocaleString("en")} of ${state.order.length.toLocaleString("en")} · `;
    at("left").textContent = `${asked}${count(left, "value")} left` + (data.left ? `; ${count(data.left, "more value")} for a page after this one` : "");
    at("done").max = state.order.length || 1;
    at("done").value = state.place;
    const list = at("answers").querySelector("ol");
    at("answers").hidden = !state.answers.length;
    list.setAttribute("start", String(state.answers.length));
    list.replaceChildren(...state.answers.slice(-20).reverse().map((given) => make("li", given.said)));
    if (moves) card.querySelector("h2").focus({ preventScroll: true });
  };

  // The sheet: what a spreadsheet takes for a formula gets an apostrophe before it, as Igual's own sheets have it.
  const isFormula = /^'*(?:[\s\x00-\x1f\u00a0\ufeff]*[=+\-@＝＋－＠]|[\t\r\n])/;
  const isNumber = /^[+-]?\d+([.,]\d+)?\n?$/;
  const innerFormula = /([;|\t][\s\u00a0]*'*)(?=[=+\-@＝＋－＠])/g;
  const guard = (text) => {
    if (isNumber.test(text)) return text;
    const inside = text.replace(innerFormula, "$1'");
    return isFormula.test(text) ? `'${inside}` : inside;
  };
  const writeSheet = () => {
    const { ofValue, ofKind } = rulings();
    const lines = [data.header];
    const add = (cells) => lines.push(data.header.map((name) => guard(String(cells[name] ?? ""))));
    items.forEach((one, place) => {
      if (one.kind) add({ column: one.column, kind: one.kind, value: one.text, rows: one.rows, why: one.why, ruling: ofKind.get(place)?.ruling, "made for": data.madeFor });
    });
    values.forEach((one, place) => {
      const given = ofValue.get(place);
      const [first, ...others] = one.choices;
      add({
        column: one.column, value: one.value, within: one.within, shown: one.shown, rows: one.rows, proposal: first?.[0], score: one.score, why: one.why,
        "runners-up": others.map(([entry, , score]) => `${entry} (${score})`).join(" | "),
        ruling: given?.ruling, reason: given?.reason, "made for": data.madeFor,
      });
    });
    return lines.map((cells) => cells.map((text) => `"${text.replaceAll('"', '""')}"`).join(",") + "\r\n").join("");
  };
  const drawEarlier = () => { at("earlier").hidden = isSeen; };
  at("earlier-count").textContent = count(state.answers.length, "answer");
  at("earlier-keep").addEventListener("click", () => {
    isSeen = true;
    drawEarlier();
    at("answers-title").scrollIntoView();
  });
  at("earlier-drop").addEventListener("click", () => {
    state = begin();
    isSeen = true;
    keep();
    drawEarlier();
    draw(true);
    tell("Started afresh.");
  });
  drawEarlier();
  at("save").addEventListener("click", () => {
    if (!isSeen) {
      at("earlier").scrollIntoView();
      return tell("Answers of an earlier visit are in this page. Say first whether they stay: they are listed below.");
    }
    const name = `${data.name.replace(/[^\p{L}\p{N}_.-]+/gu, "-") || "answers"}-answers.csv`;
    const link = make("a", undefined, { download: name, href: URL.createObjectURL(new Blob(["\ufeff", writeSheet()], { type: "text/csv" })) });
    link.click();
    setTimeout(() => URL.revokeObjectURL(link.href), 10000);
    tell(`Saved as ${name}. Send it back to who made this page: igual review takes it.`);
  });

  document.addEventListener("keydown", (event) => {
    const target = event.target;
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (target.tagName === "INPUT") {
      if (event.key === "Escape") at("card").querySelector("h2").focus();
      return;
    }
    const pressed = event.key.toLowerCase();
    if (pressed === "enter" && ["BUTTON", "A", "SUMMARY"].includes(target.tagName)) return;
    const act = keys.get(pressed);
    if (!act) return;
    event.preventDefault();
    act();
  });
  draw(false);
})();
