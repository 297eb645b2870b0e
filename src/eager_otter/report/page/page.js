"use strict";
(() => {
  const { tables, words: texts, decimal } = JSON.parse(document.getElementById("data").textContent);
  const say = (text, values = {}) => texts[text].replace(/\{(\w+)\}/g, (place, name) => values[name]);
  const number = (text) => String(text).replace(".", decimal);
  const $ = (id) => document.getElementById(id);
  const sections = [...document.querySelectorAll("section[data-table]")];
  const entries = [...document.querySelectorAll("nav li[data-table]")];
  const working = $("working");
  const CORRECTIONS = { none: say("none"), bonferroni: "Bonferroni", holm: "Holm", "benjamini-hochberg": "Benjamini–Hochberg" };
  const SIGNS = { up: ["▲", "△"], down: ["▼", "▽"] };

  // --- what is decided of each comparison -------------------------------------------------------

  function rules(table) {
    const level = $("level").value, second = $("second").value, least = $("least").value;
    let levels = table.levels.slice();
    if (level !== "") levels[0] = +level;
    if (second === "0") levels = levels.slice(0, 1);
    else if (second !== "") levels[1] = +second;
    if (levels.length > 1 && !(levels[1] < levels[0])) levels = levels.slice(0, 1);
    return {
      levels,
      adjust: $("adjust").value || table.adjust,
      least: least === "" ? table.least : +least,
      judged: $("judged").value || table.judged,
    };
  }

  function adjusted(p, family, how) {
    if (how === "none") return p;
    const out = p.slice();
    for (const number of new Set(family)) {
      const own = p.map((value, k) => k).filter((k) => family[k] === number && p[k] !== null);
      own.sort((a, b) => p[a] - p[b]);
      const m = own.length;
      if (how === "bonferroni") own.forEach((k) => { out[k] = Math.min(1, p[k] * m); });
      let run = how === "holm" ? 0 : 1;
      if (how === "holm") own.forEach((k, i) => { run = Math.max(run, p[k] * (m - i)); out[k] = Math.min(1, run); });
      if (how === "benjamini-hochberg") {
        for (let i = m - 1; i >= 0; i--) { run = Math.min(run, (p[own[i]] * m) / (i + 1)); out[own[i]] = Math.min(1, run); }
      }
    }
    return out;
  }

  function decided(table, line, rule) {
    const base = (line[rule.judged] || table[rule.judged]);
    const p = line.p.map((value, k) => {
      const [a, b] = table.pairs[k];
      const thin = base[a] < rule.least - 1e-9 || base[b] < rule.least - 1e-9;
      return value === null || thin ? null : value;
    });
    return adjusted(p, table.family, rule.adjust);
  }

  function cells(table, line, rule) {
    const texts = table.shown.map(() => []);
    const place = new Map(table.shown.map((counted, k) => [counted, k]));
    const p = decided(table, line, rule);
    const alpha = rule.levels.map((level) => (100 - level) / 100 + 1e-12);
    p.forEach((value, k) => {
      if (value === null || !alpha.length || value > alpha[alpha.length - 1]) return;
      const strict = value <= alpha[0], up = line.s[k] > 0, [a, b] = table.pairs[k], at = table.at[k];
      if (at >= 0) { texts[place.get(at)].push([0, SIGNS[up ? "up" : "down"][strict ? 0 : 1]]); return; }
      const high = up ? a : b, low = up ? b : a, letter = table.letters[low];
      texts[place.get(high)].push([low, strict ? letter : letter.toLowerCase()]);
    });
    const joint = table.letters.some((letter) => letter.length > 1) ? " " : "";
    return texts.map((found) => found.sort((x, y) => x[0] - y[0]).map((one) => one[1]).join(joint));
  }

  function retest() {
    const touched = ["level", "second", "adjust", "least", "judged"].some((id) => $(id).value !== "");
    sections.forEach((section, t) => {
      const table = tables[t], rule = rules(table);
      for (const [index, line] of Object.entries(table.lines)) {
        if (!line.p) continue;
        const row = section.querySelector(`tr[data-line="${index}"]`);
        cells(table, line, rule).forEach((text, k) => setLetters(row.cells[k + 2], text));
      }
      const note = section.querySelector(".changed");
      note.hidden = !touched || !table.pairs.length;
      note.textContent = touched ? say("Letters as changed on this page: {levels} % level, correction {correction}, no test below {least} ({base}).", {
        levels: rule.levels.map(number).join(", "), correction: CORRECTIONS[rule.adjust], least: number(rule.least),
        base: rule.judged === "n" ? say("unweighted base") : say("effective base"),
      }) : "";
    });
  }

  function setLetters(cell, text) {
    let b = cell.querySelector("b");
    if (!text) { if (b) b.remove(); return; }
    if (!b) { b = document.createElement("b"); cell.append(b); }
    b.textContent = text;
  }

  // --- the working of a cell --------------------------------------------------------------------

  const pText = (p) => (p < 0.0001 ? say("P below {p}", { p: number("0.0001") }) : `P = ${number(p.toFixed(4))}`);

  function sentences(section, row, column) {
    const t = +section.dataset.table, table = tables[t], line = table.lines[row.dataset.line];
    if (!line || !line.p) return [];
    const rule = rules(table), p = decided(table, line, rule), own = table.shown[column], found = [];
    table.pairs.forEach(([a, b], k) => {
      const at = table.at[k];
      if (line.idle && line.idle.includes(k)) return;
      if (!(at === own || (at < 0 && (a === own || b === own)))) return;
      const first = at >= 0 || a === own, other = first ? b : a, mine = first ? a : b;
      const up = first ? line.s[k] > 0 : line.s[k] < 0;
      const unit = line.percent ? " %" : "";
      const pair = say("{figure} against {other}", { figure: `${round(line.v[mine])}${unit}`, other: `${round(line.v[other])}${unit}` });
      const name = table.names[other];
      if (p[k] === null) { found.push(say("Not tested against {name}: {pair}.", { name, pair })); return; }
      const level = rule.levels.find((one) => p[k] <= (100 - one) / 100 + 1e-12);
      const shown = rule.adjust === "none" ? pText(p[k]) : say("{p} after correction ({correction})", { p: pText(p[k]), correction: CORRECTIONS[rule.adjust] });
      const values = { name, pair, p: shown, level: level === undefined ? "" : number(level) };
      if (level === undefined) found.push(say("No significant difference from {name}: {pair}, {p}.", values));
      else if (up) found.push(say("Significantly higher at the {level} % level than {name}: {pair}, {p}.", values));
      else found.push(say("Significantly lower at the {level} % level than {name}: {pair}, {p}.", values));
    });
    return found;
  }

  const round = (value) => (value === null ? "n/a" : number(Math.round(value * 100) / 100));

  function show(cell) {
    const row = cell.parentElement, section = cell.closest("section"), column = cell.cellIndex - 2;
    const lines = sentences(section, row, column);
    if (!lines.length) { hide(); return; }
    const table = tables[+section.dataset.table];
    working.replaceChildren(...[`${row.cells[0].textContent} × ${table.names[table.shown[column]]}`, ...lines].map((text, k) => {
      const p = document.createElement("p");
      p.textContent = text;
      if (!k) p.className = "head";
      return p;
    }));
    working.hidden = false;
    const box = cell.getBoundingClientRect(), size = working.getBoundingClientRect();
    working.style.left = `${Math.max(8, Math.min(box.left, innerWidth - size.width - 8))}px`;
    working.style.top = `${box.bottom + size.height + 8 < innerHeight ? box.bottom + 4 : Math.max(8, box.top - size.height - 4)}px`;
  }

  function hide() { working.hidden = true; }

  function testedCell(target) {
    const cell = target.closest ? target.closest("td") : null;
    if (!cell || cell.classList.contains("sign") || !cell.closest("tbody")) return null;
    const line = tables[+cell.closest("section").dataset.table].lines[cell.parentElement.dataset.line];
    return line && line.p ? cell : null;
  }

  // --- finding, sorting, copying, highlighting --------------------------------------------------

  function find() {
    const words = $("find").value.toLowerCase().split(/\s+/).filter(Boolean);
    let count = 0;
    sections.forEach((section, t) => {
      const text = tables[t].text;
      const fits = words.every((word) => text.includes(word));
      section.hidden = !fits;
      entries[t].hidden = !fits;
      count += fits;
    });
    $("found").textContent = words.length ? say("{count} of {all} tables", { count, all: sections.length }) : "";
  }

  function sort(section, column, head) {
    const body = section.querySelector("tbody"), rows = [...body.rows];
    const original = [...rows].sort((a, b) => a.dataset.line - b.dataset.line);
    const before = head.getAttribute("aria-sort");
    const way = before === "descending" ? "ascending" : before === "ascending" ? null : "descending";
    section.querySelectorAll("th[aria-sort]").forEach((th) => th.removeAttribute("aria-sort"));
    if (way) head.setAttribute("aria-sort", way);
    const blocks = [];
    original.forEach((row) => { if (row.classList.contains("more")) blocks[blocks.length - 1].push(row); else blocks.push([row]); });
    const table = tables[+section.dataset.table];
    const value = (block) => { const v = table.values[block[0].dataset.line]; return v && v[column] !== null ? v[column] : -Infinity; };
    const free = (block) => block[0].classList.contains("answer") && block[0].cells[0].classList.contains("in0");
    const places = blocks.map((block, k) => k).filter((k) => free(blocks[k]));
    const moved = places.map((k) => blocks[k]);
    if (way) moved.sort((a, b) => (way === "descending" ? value(b) - value(a) : value(a) - value(b)));
    places.forEach((k, i) => { blocks[k] = moved[i]; });
    body.replaceChildren(...blocks.flat());
  }

  const words = (node) => (node.childNodes.length ? [...node.childNodes].map(words).filter(Boolean).join(" ") : (node.textContent || "").replace(/\s+/g, " ").trim());

  function copy(section) {
    const rows = [...section.querySelectorAll("tr")].filter((row) => !row.hidden);
    const text = rows.map((row) => [...row.cells].flatMap((cell) => [words(cell), ...Array(cell.colSpan - 1).fill("")]).join("\t")).join("\n");
    const told = section.querySelector(".tools [role=status]");
    const done = () => { told.textContent = say("Copied; paste it into a spreadsheet."); };
    const fallback = () => {
      const area = document.createElement("textarea");
      area.value = text;
      document.body.append(area);
      area.select();
      document.execCommand("copy");
      area.remove();
      done();
    };
    if (navigator.clipboard) navigator.clipboard.writeText(text).then(done, fallback); else fallback();
  }

  function highlight() {
    const on = $("highlight").checked, points = Math.max(1, +$("points").value || 5);
    sections.forEach((section, t) => {
      const table = tables[t];
      for (const [index, values] of Object.entries(table.values)) {
        if (table.total < 0 || !table.percents.includes(+index)) continue;
        const row = section.querySelector(`tr[data-line="${index}"]`), total = values[table.total];
        values.forEach((value, k) => {
          const gap = value === null || total === null ? 0 : value - total;
          row.cells[k + 2].classList.toggle("over", on && gap >= points);
          row.cells[k + 2].classList.toggle("under", on && gap <= -points);
        });
      }
    });
  }

  function figures() {
    const shown = new Set([...document.querySelectorAll("input[name=figure]:checked")].map((box) => box.value));
    document.querySelectorAll("tbody tr[data-figure]").forEach((row) => {
      row.hidden = !/^heading$| base$/.test(row.dataset.figure) && !shown.has(row.dataset.figure);
    });
  }

  function counts() {
    const on = $("counts").checked;
    sections.forEach((section, t) => {
      for (const [index, texts] of Object.entries(tables[t].counts)) {
        const row = section.querySelector(`tr[data-line="${index}"]`);
        row.cells[1].textContent = on ? "n" : tables[t].signs[index];
        texts.forEach(([percent, count], k) => { row.cells[k + 2].firstChild.nodeValue = on ? count : percent; });
      }
    });
  }

  // --- beginning --------------------------------------------------------------------------------

  sections.forEach((section, t) => {
    const table = tables[t];
    section.querySelectorAll(".columns th[scope=col]").forEach((th, k) => {
      if (k < 2) return;
      const button = document.createElement("button");
      button.type = "button";
      button.title = say("Sort by this column");
      button.append(...th.childNodes);
      th.append(button);
      button.addEventListener("click", () => sort(section, k - 2, th));
    });
    const button = section.querySelector(".copy");
    button.hidden = false;
    button.addEventListener("click", () => copy(section));
    for (const [index, line] of Object.entries(table.lines)) {
      if (!line.p) continue;
      const row = section.querySelector(`tr[data-line="${index}"]`);
      [...row.cells].slice(2).forEach((cell) => { if (cell.querySelector("b")) cell.tabIndex = 0; });
    }
  });
  $("controls").hidden = false;
  $("controls").addEventListener("submit", (event) => event.preventDefault());
  $("find").addEventListener("input", find);
  ["level", "second", "adjust", "least", "judged"].forEach((id) => $(id).addEventListener("input", retest));
  document.querySelectorAll("input[name=figure]").forEach((box) => box.addEventListener("change", figures));
  $("counts").addEventListener("change", counts);
  ["highlight", "points"].forEach((id) => $(id).addEventListener("input", highlight));
  $("reset").addEventListener("click", () => setTimeout(() => { find(); retest(); figures(); counts(); highlight(); }, 0));
  const dark = () => document.documentElement.dataset.theme === "dark" || (!document.documentElement.dataset.theme && matchMedia("(prefers-color-scheme: dark)").matches);
  const name = () => { $("theme").textContent = dark() ? say("Light") : say("Dark"); };
  $("theme").addEventListener("click", () => { document.documentElement.dataset.theme = dark() ? "light" : "dark"; name(); });
  name();
  document.addEventListener("mouseover", (event) => { const cell = testedCell(event.target); if (cell) show(cell); else if (!working.contains(event.target)) hide(); });
  document.addEventListener("focusin", (event) => { const cell = testedCell(event.target); if (cell) show(cell); else hide(); });
  document.addEventListener("click", (event) => { const cell = testedCell(event.target); if (cell) show(cell); });
  document.addEventListener("keydown", (event) => {
    if (event.key === "Escape") hide();
    if (event.key === "/" && !/INPUT|SELECT|TEXTAREA/.test(document.activeElement.tagName)) { event.preventDefault(); $("find").focus(); }
  });
})();
