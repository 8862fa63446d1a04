"use strict";
(() => {
  const isNarrow = matchMedia("(max-width: 40rem)").matches;
  // Where the page is narrow each row is a card, with the heading before each cell.
  const nameCells = (row, names) => {
    for (const cell of row.cells) if (cell.textContent.trim()) cell.dataset.head = names[cell.cellIndex];
  };
  if (isNarrow) {
    for (const table of document.querySelectorAll(".grid table")) {
      const names = [...table.tHead.rows[0].cells].map((head) => head.textContent);
      for (const row of table.tBodies[0].rows) nameCells(row, names);
      table.classList.add("cards");
    }
  }
  // A cell of a row that came as data: its text, or its look, text and order, or what a bar or a marked cell is made of.
  const fillCell = (cell, given, look) => {
    const [kind, text, order] = Array.isArray(given) ? given : [look, given, null];
    if (given.marks) {
      cell.className = "v";
      for (const [mark, piece] of given.marks) {
        const part = mark ? document.createElement(mark === "went" ? "del" : "ins") : document.createTextNode(piece);
        if (mark) part.textContent = piece;
        cell.append(part);
      }
    } else if (given.bar !== undefined) {
      cell.className = "bar";
      const bar = document.createElementNS("http://www.w3.org/2000/svg", "svg");
      for (const [name, value] of [["viewBox", "0 0 100 10"], ["preserveAspectRatio", "none"], ["aria-hidden", "true"]]) bar.setAttribute(name, value);
      const inner = document.createElementNS("http://www.w3.org/2000/svg", "rect");
      inner.setAttribute("width", given.bar);
      inner.setAttribute("height", "10");
      bar.append(inner);
      cell.append(bar);
    } else {
      if (kind) cell.className = kind;
      if (order !== null) cell.dataset.order = order;
      cell.textContent = text;
    }
  };
  // Grids that are long: the rest of their rows, search and sort. Without a script they are plain tables.
  for (const grid of document.querySelectorAll("[data-long]")) {
    const body = grid.querySelector("tbody");
    const tools = grid.querySelector(".tools");
    const told = tools.querySelector("[role=status]");
    const rows = [...body.rows];
    const names = [...grid.querySelectorAll("th")].map((head) => head.textContent);
    let rest = JSON.parse(grid.querySelector(".rest")?.textContent ?? "[]");
    let texts = null;
    let waiting = 0;
    const addRows = (most) => {
      const looks = [...rows[0].cells].map((cell) => cell.className);
      const made = rest.slice(0, most).map((cells) => {
        const row = document.createElement("tr");
        cells.forEach((given, place) => fillCell(row.insertCell(), given, looks[place]));
        if (isNarrow) nameCells(row, names);
        return row;
      });
      rest = rest.slice(most);
      rows.push(...made);
      body.append(...made);
    };
    const addSome = () => {
      if (!rest.length) return;
      addRows(400);
      setTimeout(addSome, 30);
    };
    const addAll = () => { if (rest.length) addRows(rest.length); };
    addEventListener("load", () => setTimeout(addSome, 100));
    addEventListener("beforeprint", addAll);
    tools.hidden = false;
    const search = (sought) => {
      addAll();
      texts ??= rows.map((row) => row.textContent.toLowerCase());
      let shown = 0;
      rows.forEach((row, place) => {
        row.hidden = !texts[place].includes(sought);
        shown += !row.hidden;
      });
      told.textContent = sought ? `${shown.toLocaleString("en")} of ${rows.length.toLocaleString("en")}` : "";
    };
    tools.querySelector("input").addEventListener("input", (event) => {
      clearTimeout(waiting);
      const sought = event.target.value.toLowerCase();
      waiting = setTimeout(() => search(sought), 80);
    });
    const heads = [...grid.querySelectorAll("th")];
    const order = (row, column) => {
      const cell = row.cells[column];
      if (heads[column].className !== "n") return cell.textContent;
      return Number(cell.dataset.order ?? (cell.textContent.replace(/[^0-9.]/g, "") || -1));
    };
    let collator = null;
    heads.forEach((head, column) => {
      if (!head.textContent) return;
      const button = document.createElement("button");
      button.type = "button";
      button.textContent = head.textContent;
      head.replaceChildren(button);
      button.addEventListener("click", () => {
        addAll();
        const isDown = head.getAttribute("aria-sort") === (head.className === "n" ? "descending" : "ascending");
        collator ??= new Intl.Collator("en", { numeric: true });
        const sign = (head.className === "n") === isDown ? 1 : -1;
        heads.forEach((other) => other.removeAttribute("aria-sort"));
        head.setAttribute("aria-sort", sign > 0 ? "ascending" : "descending");
        const keyed = rows.map((row) => [order(row, column), row]);
        keyed.sort(([one], [other]) =>
          sign * (typeof one === "number" && typeof other === "number" ? one - other : collator.compare(String(one), String(other))));
        body.append(...keyed.map(([, row]) => row));
      });
    });
  }
  // Pictures of flows: what is pointed at, or reached with arrow keys, is told beneath.
  for (const flow of document.querySelectorAll(".flow")) {
    flow.addEventListener("toggle", () => {
      const folded = flow.querySelector("template");
      if (folded) folded.replaceWith(folded.content);
    });
    const itemOf = (event) => event.target.closest("[role=listitem]");
    const tell = (event) => {
      const item = itemOf(event);
      if (item) flow.querySelector(".told").textContent = item.getAttribute("aria-label");
    };
    flow.addEventListener("mouseover", tell);
    flow.addEventListener("focusin", tell);
    flow.addEventListener("keydown", (event) => {
      const item = itemOf(event);
      const step = { ArrowDown: 1, ArrowRight: 1, ArrowUp: -1, ArrowLeft: -1 }[event.key];
      const isEnd = event.key === "Home" || event.key === "End";
      if (!item || (step === undefined && !isEnd)) return;
      event.preventDefault();
      const items = [...flow.querySelectorAll("[role=listitem]")];
      const next = event.key === "Home" ? items[0] : event.key === "End" ? items.at(-1) : items[items.indexOf(item) + step];
      if (!next) return;
      item.setAttribute("tabindex", "-1");
      next.setAttribute("tabindex", "0");
      next.focus();
    });
  }
})();
