"use strict";
(() => {
  // Grids that are long: search and sort. Without a script they are plain tables.
  for (const grid of document.querySelectorAll("[data-long]")) {
    const body = grid.querySelector("tbody");
    const tools = grid.querySelector(".tools");
    const told = tools.querySelector("[role=status]");
    const rows = [...body.rows];
    let texts = null;
    let waiting = 0;
    tools.hidden = false;
    const search = (sought) => {
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
    const collator = new Intl.Collator("en", { numeric: true });
    heads.forEach((head, column) => {
      if (!head.textContent) return;
      const button = document.createElement("button");
      button.type = "button";
      button.textContent = head.textContent;
      head.replaceChildren(button);
      button.addEventListener("click", () => {
        const isDown = head.getAttribute("aria-sort") === (head.className === "n" ? "descending" : "ascending");
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
  // Where the page is narrow each row is a card, with the heading before each cell.
  if (matchMedia("(max-width: 40rem)").matches) {
    for (const table of document.querySelectorAll(".grid table")) {
      const names = [...table.tHead.rows[0].cells].map((head) => head.textContent);
      for (const row of table.tBodies[0].rows)
        for (const cell of row.cells) if (cell.textContent.trim()) cell.dataset.head = names[cell.cellIndex];
      table.classList.add("cards");
    }
  }
  // Pictures of flows: what is pointed at, or reached with arrow keys, is told beneath.
  for (const flow of document.querySelectorAll(".flow")) {
    const told = flow.querySelector(".told");
    const items = [...flow.querySelectorAll("[role=listitem]")];
    const itemOf = (event) => event.target.closest("[role=listitem]");
    const tell = (event) => {
      const item = itemOf(event);
      if (item) told.textContent = item.getAttribute("aria-label");
    };
    flow.addEventListener("mouseover", tell);
    flow.addEventListener("focusin", tell);
    flow.addEventListener("keydown", (event) => {
      const item = itemOf(event);
      const step = { ArrowDown: 1, ArrowRight: 1, ArrowUp: -1, ArrowLeft: -1 }[event.key];
      const isEnd = event.key === "Home" || event.key === "End";
      if (!item || (step === undefined && !isEnd)) return;
      event.preventDefault();
      const next = event.key === "Home" ? items[0] : event.key === "End" ? items.at(-1) : items[items.indexOf(item) + step];
      if (!next) return;
      item.setAttribute("tabindex", "-1");
      next.setAttribute("tabindex", "0");
      next.focus();
    });
  }
})();
