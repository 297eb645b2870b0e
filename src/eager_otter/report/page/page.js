"use strict";
(() => {
  const { tables, banners, words: texts, decimal, thousands, forms } = JSON.parse(document.getElementById("data").textContent);
  tables.forEach((table) => Object.assign(table, banners[table.banner]));
  const $ = (id) => document.getElementById(id);
  const sections = [...document.querySelectorAll("section[data-table]")];
  let entries = [...document.querySelectorAll("nav li[data-table]")];
  const working = $("working");
  const TESTING = ["level", "second", "single", "adjust", "least", "judged"];

  // --- saying -----------------------------------------------------------------------------------

  const plural = new Intl.PluralRules(document.documentElement.lang);
  const number = (text) => String(text).replace(".", decimal);
  const whole = (count) => String(count).replace(/\B(?=(\d{3})+(?!\d))/g, thousands);
  const shown = (value) => (typeof value !== "number" ? value : Number.isInteger(value) ? whole(value) : number(value));
  const say = (text, values = {}) => texts[text].replace(/\{(\w+)(?::([^}]*))?\}/g, (place, name, choice) => {
    if (!choice) return shown(values[name]);
    const words = choice.split("|"), form = forms.indexOf(plural.select(values[name]));
    return words[Math.min(form < 0 ? forms.length - 1 : form, words.length - 1)];
  });
  const CORRECTIONS = { /* corrections */ }; // by name: what they are called, and how they correct rising P values
  const SIGNS = { up: ["▲", "△"], down: ["▼", "▽"] };
  const EDGE = 1e-9; // a base this little below a threshold is at it

  // --- what is wanted of tests ------------------------------------------------------------------

  const given = (id) => ($(id).value === "" || !$(id).checkValidity() ? null : +$(id).value);

  function rules(table) {
    const level = given("level"), second = given("second"), least = given("least");
    let levels = table.levels.slice();
    if (level !== null) levels[0] = level;
    if ($("single").checked) levels = levels.slice(0, 1);
    else if (second !== null) levels[1] = second;
    if (levels.length > 1 && !(levels[1] < levels[0])) levels = levels.slice(0, 1);
    return {
      levels,
      adjust: $("adjust").value || table.adjust,
      least: least === null ? table.least : least,
      judged: $("judged").value || table.judged,
    };
  }

  function touched() {
    return $("single").checked || TESTING.some((id) => id !== "single" && $(id).value !== "" && $(id).checkValidity());
  }

  function refused() {
    const wrong = ["level", "second"].filter((id) => !$(id).checkValidity());
    if (wrong.length) return say("A level is a percent from 50 to 99.9; as reported until then.");
    if (!$("least").checkValidity()) return say("A minimum base is a whole number from 0 up; as reported until then.");
    const level = given("level"), second = given("second");
    if (second !== null && !$("single").checked && tables.some((table) => table.levels.length && second >= (level === null ? table.levels[0] : level))) {
      return say("The second level is not below the first, so only the first is used.");
    }
    return "";
  }

  // --- what is decided of each comparison -------------------------------------------------------

  function adjusted(p, family, how) {
    const out = p.slice();
    for (const number of new Set(family)) {
      const own = p.map((value, k) => k).filter((k) => family[k] === number && p[k] !== null);
      own.sort((a, b) => p[a] - p[b]);
      CORRECTIONS[how].adjust(own.map((k) => p[k])).forEach((value, i) => { out[own[i]] = value; });
    }
    return out;
  }

  function baseOf(table, index, rule) {
    const own = table.bases[index];
    return own ? own[rule.judged === "n" ? 0 : 1] : table[rule.judged];
  }

  const below = (size, least) => size < least - EDGE;

  const OK = 0, OUT = 1, THIN = 2, UNDECIDED = 3; // why a pair has no test

  function judged(table, index, rule) { // why each pair has no test, and the P values that decide, corrected
    const line = table.lines[index], base = baseOf(table, index, rule), count = line.p.length;
    const idle = new Set(line.idle || []), least = rule.least - EDGE;
    const small = base.map((size) => size < least);
    (line.withheld || []).forEach((k) => { small[k] = true; });
    const why = new Array(count), p = new Array(count);
    for (let k = 0; k < count; k++) {
      const pair = table.pairs[k];
      why[k] = line.out || idle.has(k) ? OUT : small[pair[0]] || small[pair[1]] ? THIN : line.p[k] === null ? UNDECIDED : OK;
      p[k] = why[k] === OK ? line.p[k] : null;
    }
    return { why, p: adjusted(p, table.family, rule.adjust) };
  }

  const alphas = (rule) => rule.levels.map((level) => (100 - level) / 100 + 1e-12);

  function cells(table, index, rule, p) {
    const line = table.lines[index], found = table.shown.map(() => []);
    const place = new Map(table.shown.map((counted, k) => [counted, k]));
    const alpha = alphas(rule), last = alpha.length ? alpha[alpha.length - 1] : -1;
    const silent = new Set(line.silent || []); // tests that give no letter
    for (let k = 0; k < p.length; k++) {
      if (p[k] === null || p[k] > last || silent.has(k)) continue;
      const strict = p[k] <= alpha[0], up = line.s[k] === "+", [a, b] = table.pairs[k], at = table.at[k];
      if (at >= 0) { found[place.get(at)].push([0, SIGNS[up ? "up" : "down"][strict ? 0 : 1]]); continue; }
      const high = up ? a : b, low = up ? b : a, letter = table.letters[low];
      found[place.get(high)].push([low, strict ? letter : letter.toLowerCase()]);
    }
    for (const [at, p, way] of trendsOf(table, index, rule)) {
      if (p !== null && p <= last) found[place.get(at)].push([0, SIGNS[way === "+" ? "up" : "down"][p <= alpha[0] ? 0 : 1]]);
    }
    const joint = table.letters.some((letter) => letter.length > 1) ? " " : "";
    return found.map((some) => some.sort((x, y) => x[0] - y[0]).map((one) => one[1]).join(joint));
  }

  function trendsOf(table, index, rule) { // those whose columns are as reported: others cannot be tested here
    const base = baseOf(table, index, rule), line = table.lines[index];
    const out = (k) => below(base[k], rule.least) || !base[k] || (line.withheld || []).includes(k);
    return (line.trends || []).filter(([, , , over, all]) => all.filter((k) => !out(k)).join() === over.join());
  }

  function marks(table, index, rule) { // of each column shown: "", "*" or "**"
    const base = baseOf(table, index, rule);
    const mark = (k) => (below(base[k], rule.least) ? 2 : below(base[k], table.mark) ? 1 : 0);
    return table.shown.map((k) => {
      const pair = table.differences[k];
      if (table.trends.includes(k)) return "";
      return ["", "*", "**"][pair ? Math.max(mark(pair[0]), mark(pair[1])) : mark(k)];
    });
  }

  // --- what follows on the page -----------------------------------------------------------------

  function retest() {
    const changed = touched();
    $("refused").textContent = refused();
    sections.forEach((section, t) => {
      const table = tables[t], rule = rules(table);
      const longest = table.shown.map(() => 0), made = {};
      for (const index of Object.keys(table.lines)) {
        made[index] = judged(table, index, rule);
        const row = rowsOf(section)[index];
        const now = cells(table, index, rule, made[index].p), before = lettersOf(row, now.length);
        for (let k = 0; k < now.length; k++) {
          if (now[k] !== before[k]) setPart(row.cells[k + 2], "b", now[k]);
          if (now[k].length > longest[k] && !table.trends.includes(table.shown[k])) longest[k] = now[k].length;
        }
        letters.set(row, now);
      }
      makeRoom(section, longest);
      remark(section, table, rule);
      renote(section, table, rule, changed, made);
    });
    document.querySelectorAll(".reported").forEach((one) => { one.hidden = !changed; });
  }

  const byLine = new Map(), letters = new WeakMap();

  function lettersOf(row, count) { // what stands in a row's cells now
    if (!letters.has(row)) {
      letters.set(row, Array.from({ length: count }, (_, k) => { const b = row.cells[k + 2].querySelector("b"); return b ? b.textContent : ""; }));
    }
    return letters.get(row);
  }


  function rowsOf(section) { // by line, however they are sorted
    if (!byLine.has(section)) {
      const found = {};
      section.querySelectorAll("tbody tr").forEach((row) => { found[row.dataset.line] = row; });
      byLine.set(section, found);
    }
    return byLine.get(section);
  }

  function makeRoom(section, longest) { // beside the figures of a column, for its letters; what is there is kept
    const heads = section.querySelector(".columns").cells;
    longest.forEach((length, k) => {
      const before = (/\bl(\d)\b/.exec(heads[k + 2].className) || ["", ""])[0];
      const now = length && length < 10 ? `l${length}` : "";
      if (length <= +before.slice(1)) return;
      [heads[k + 2], ...Object.values(rowsOf(section)).map((row) => row.cells[k + 2])].forEach((cell) => {
        if (!cell) return;
        if (before) cell.classList.remove(before);
        if (now) cell.classList.add(now);
      });
    });
  }

  function remark(section, table, rule) {
    if (!table.n.length) return;
    const first = marks(table, 0, rule);
    Object.keys(table.values).map(Number).forEach((index) => {
      const own = index === 0 || table.bases[index];
      if (!own) return;
      const row = rowsOf(section)[index], signs = marks(table, index, rule);
      const signed = index === 0 || row.classList.contains("signed");
      signs.forEach((sign, k) => {
        const cell = row.cells[k + 2];
        if (table.values[index][k] !== null && cell.dataset.withheld === undefined) setPart(cell, "i", signed || sign !== first[k] ? sign : "");
      });
    });
  }

  function ownMarks(section, table, rule) { // whether a row is marked otherwise than its columns are
    const first = marks(table, 0, rule);
    const seen = (index, signs) => signs.map((sign, k) => (rowsOf(section)[index].cells[k + 2].dataset.withheld !== undefined ? "··" : sign));
    const columns = seen(0, first).join(), shown = table.shown.map((k, place) => (table.differences[k] ? -1 : place)).filter((k) => k >= 0);
    const only = (text) => { const all = text.split(","); return shown.map((k) => all[k]).join(); };
    return Object.keys(table.bases).some((index) => index !== "0" && only(seen(index, marks(table, index, rule)).join()) !== only(columns));
  }

  function setPart(cell, name, text) {
    let part = cell.querySelector(name);
    if (!text) { if (part) part.remove(); return; }
    if (!part) {
      part = document.createElement(name);
      if (name === "i") cell.insertBefore(part, cell.querySelector("b")); else cell.append(part);
    }
    part.textContent = text;
  }

  const originals = new Map();

  function renote(section, table, rule, changed, made) {
    const list = section.querySelector(".shown"), told = section.querySelector(".changed");
    if (!originals.has(section)) originals.set(section, [...list.children].map((one) => one.cloneNode(true)));
    const tested = (table.pairs.length > 0 || table.trends.length > 0) && table.levels.length > 0;
    list.replaceChildren(...originals.get(section).map((one) => one.cloneNode(true)));
    told.hidden = !changed || !tested;
    told.textContent = "";
    if (!changed || !tested) return;
    const follow = ["letters", "trend", "marks", "undecided", "thin", "chance"], now = statements(section, table, rule, made);
    list.querySelectorAll("span[data-about]").forEach((span) => {
      if (!follow.includes(span.dataset.about)) return;
      const own = now[span.dataset.about];
      span.textContent = own.shift() || "";
    });
    const rest = follow.flatMap((about) => now[about]).filter(Boolean);
    if (rest.length) {
      const item = document.createElement("li");
      item.textContent = rest.join(" ");
      list.append(item);
    }
    list.querySelectorAll("li").forEach((item) => { if (!item.textContent.trim()) item.remove(); });
    told.textContent = [
      say("Changed on this page: {levels} % level, correction {correction}, no test below {least} ({base}).", {
        levels: rule.levels.map(number).join(", "), correction: CORRECTIONS[rule.adjust].label, least: rule.least,
        base: rule.judged === "n" ? say("unweighted base") : say("effective base"),
      }),
      ...(table.intervals ? [say("Intervals stay at the level that their rows name.")] : []),
      ...(section.querySelector("[data-withheld]") ? [say("Withheld figures stay withheld.")] : []),
    ].join(" ");
  }

  function statements(section, table, rule, tests) {
    const found = { letters: [], trend: [], marks: [], undecided: [], thin: [], chance: [] };
    const [strict, lax] = rule.levels, two = rule.levels.length > 1;
    const corrected = (text) => (rule.adjust === "none" ? text : say("{told}, after correction ({correction})", { told: text, correction: CORRECTIONS[rule.adjust].label }));
    if (table.at.some((at) => at < 0)) {
      found.letters.push(`${corrected(two
        ? say("Letters: significantly higher than the column of that letter, capitals at {strict} %, small letters at {lax} %", { strict, lax })
        : say("Letters: significantly higher than the column of that letter, at {level} %", { level: strict }))}.`);
    }
    if (table.at.some((at) => at >= 0)) {
      const first = corrected(say("{higher} significantly higher, {lower} significantly lower, at the {level} % level", { higher: "▲", lower: "▼", level: strict }));
      found.letters.push(`${first}${two ? say(" ({higher} {lower} at the {level} % level only)", { higher: "△", lower: "▽", level: lax }) : ""}.`);
    }
    const lines = Object.keys(table.lines).filter((index) => table.lines[index].trends);
    if (lines.length) {
      const first = say("Trend: {higher} rising, {lower} falling significantly, at the {level} % level", { higher: "▲", lower: "▼", level: strict });
      found.trend.push(`${first}${two ? say(" ({higher} {lower} at the {level} % level only)", { higher: "△", lower: "▽", level: lax }) : ""}.`);
      if (lines.some((index) => trendsOf(table, index, rule).length < table.lines[index].trends.length)) {
        found.trend.push(say("Trends over other columns than reported are left out."));
      }
    }
    const base = rule.judged === "n" ? say("base") : say("effective base");
    const there = (sign) => [...section.querySelectorAll("tbody i")].some((one) => one.textContent === sign);
    if (there("*")) found.marks.push(say("{sign} {base} below {least}: read with care.", { sign: "*", base, least: table.mark }));
    if (there("**")) found.marks.push(say("{sign} {base} below {least}: not tested.", { sign: "**", base, least: rule.least }));
    const kept = originals.get(section).flatMap((one) => [...one.querySelectorAll("span[data-about=marks]")]);
    kept.filter((one) => one.textContent.startsWith("··")).forEach((one) => found.marks.push(one.textContent));
    if (ownMarks(section, table, rule)) found.marks.push(say("A mark beside a figure: it rests on fewer respondents."));
    let made = 0, undecided = 0;
    const thin = new Set(), marked = table.at.some((at) => at >= 0);
    for (const index of Object.keys(table.lines)) {
      if (table.lines[index].again) continue; // the same tests beside another figure of the row
      const why = tests[index].why, sizes = baseOf(table, index, rule);
      for (const one of why) { made += one === OK; undecided += one === UNDECIDED; }
      made += trendsOf(table, index, rule).filter(([, p]) => p !== null).length;
      if (marked) table.at.forEach((at, k) => {
        if (at < 0 || why[k] !== THIN) return;
        const [a, b] = table.pairs[k].map((one) => below(sizes[one], rule.least));
        if (table.differences[at] ? a || b : !a && b) thin.add(at);
      });
    }
    if (undecided) found.undecided.push(say("{count} {count:comparison|comparisons} could not be tested.", { count: undecided }));
    if (thin.size) {
      found.thin.push(say("Not tested, as the base that they are compared with is too thin: {columns}.", { columns: [...thin].map((k) => table.names[k]).join(", ") }));
    }
    if (originals.get(section).some((one) => one.querySelector("span[data-about=chance]"))) {
      found.chance.push(say("{made} {made:test was|tests were} made.", { made }));
    }
    return found;
  }

  // --- the working of a cell --------------------------------------------------------------------

  const pText = (p) => (p < 0.0001 ? say("P below {p}", { p: number("0.0001") }) : `P = ${number(p.toFixed(4))}`);

  function sentences(section, row, column) {
    const table = tables[+section.dataset.table], index = row.dataset.line, line = table.lines[index];
    if (!line) return [];
    const rule = rules(table), p = judged(table, index, rule).p, own = table.shown[column], found = [];
    table.pairs.forEach(([a, b], k) => {
      const at = table.at[k];
      if ((line.idle && line.idle.includes(k)) || (line.silent && line.silent.includes(k))) return;
      if (!(at === own || (at < 0 && (a === own || b === own)))) return;
      const first = at >= 0 || a === own, other = first ? b : a, mine = first ? a : b;
      const up = first ? line.s[k] === "+" : line.s[k] === "-";
      const unit = line.percent ? " %" : "";
      const pair = say("{figure} against {other}", { figure: `${round(line.v[mine])}${unit}`, other: `${round(line.v[other])}${unit}` });
      const name = table.names[other];
      if (p[k] === null) { found.push(say("Not tested against {name}: {pair}.", { name, pair })); return; }
      const level = rule.levels.find((one) => p[k] <= (100 - one) / 100 + 1e-12);
      const told = rule.adjust === "none" ? pText(p[k]) : say("{p} after correction ({correction})", { p: pText(p[k]), correction: CORRECTIONS[rule.adjust].label });
      const values = { name, pair, p: told, level: level === undefined ? "" : level };
      if (level === undefined) found.push(say("No significant difference from {name}: {pair}, {p}.", values));
      else if (up) found.push(say("Significantly higher at the {level} % level than {name}: {pair}, {p}.", values));
      else found.push(say("Significantly lower at the {level} % level than {name}: {pair}, {p}.", values));
    });
    for (const [at, p, way] of trendsOf(table, index, rule)) {
      if (at !== own) continue;
      if (p === null) { found.push(say("No trend can be tested.")); continue; }
      const level = rule.levels.find((one) => p <= (100 - one) / 100 + 1e-12), values = { p: pText(p), level };
      if (level === undefined) found.push(say("No significant trend: {p}.", values));
      else if (way === "+") found.push(say("Rising significantly at the {level} % level: {p}.", values));
      else found.push(say("Falling significantly at the {level} % level: {p}.", values));
    }
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
    return tables[+cell.closest("section").dataset.table].lines[cell.parentElement.dataset.line] ? cell : null;
  }

  // --- going about: contents, arrow keys --------------------------------------------------------

  function land(target, left = 20) { // sections above may change their height as they are laid out: look again
    const top = target.getBoundingClientRect().top;
    const end = document.documentElement.scrollHeight - innerHeight - scrollY;
    if (Math.abs(top) > 1 && !(top > 0 && end < 1)) target.scrollIntoView({ block: "start", behavior: "instant" });
    if (left) requestAnimationFrame(() => land(target, left - 1));
  }

  function landOnHash() {
    const target = location.hash.length > 1 && document.getElementById(location.hash.slice(1));
    if (target) land(target);
  }

  const inside = (cell) => cell.querySelector("button") || cell;

  function settle(section, cell) { // the one cell of a table that the tab key reaches
    const before = section.querySelector("table [tabindex='0']");
    if (before) before.tabIndex = -1;
    inside(cell).tabIndex = 0;
  }

  function step(section, event) {
    const cell = event.target.closest("th, td");
    const rows = [...section.querySelectorAll("thead .columns, tbody tr")].filter((row) => !row.hidden);
    let row = rows.indexOf(cell.parentElement), column = cell.cellIndex;
    if (row < 0) return;
    const moves = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] };
    if (moves[event.key]) { row += moves[event.key][0]; column += moves[event.key][1]; }
    else if (event.key === "Home") column = 0;
    else if (event.key === "End") column = Infinity;
    else return;
    event.preventDefault();
    row = Math.max(0, Math.min(row, rows.length - 1));
    const next = rows[row].cells[Math.max(0, Math.min(column, rows[row].cells.length - 1))];
    settle(section, next);
    inside(next).focus();
  }

  // --- finding, sorting, copying, highlighting --------------------------------------------------

  const folded = (text) => text.normalize("NFD").replace(/\p{M}/gu, "").toLowerCase();

  function find() {
    const words = folded($("find").value).split(/\s+/).filter(Boolean);
    let count = 0;
    sections.forEach((section, t) => {
      const fits = words.every((word) => tables[t].text.includes(word));
      section.hidden = !fits;
      entries[t].hidden = !fits;
      count += fits;
    });
    $("found").textContent = words.length ? say("{count} of {all} {all:table|tables}", { count, all: sections.length }) : "";
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
    const free = (block) => block[0].classList.contains("answer") && block[0].cells[0].classList.contains("in0") && !block[0].classList.contains("last");
    const places = blocks.map((block, k) => k).filter((k) => free(blocks[k]));
    const moved = places.map((k) => blocks[k]);
    if (way) moved.sort((a, b) => (way === "descending" ? value(b) - value(a) : value(a) - value(b)));
    places.forEach((k, i) => { blocks[k] = moved[i]; });
    body.replaceChildren(...blocks.flat());
  }

  const words = (node) => (node.childNodes.length ? [...node.childNodes].map(words).filter(Boolean).join(" ") : (node.textContent || "").replace(/\s+/g, " ").trim());

  function copied(section) { // figures alone in their cells; letters, and the signs of marks, in cells of their own
    const rows = [...section.querySelectorAll("tr")].filter((row) => !row.hidden);
    const lettered = new Set();
    rows.forEach((row) => [...row.cells].forEach((cell) => { if (cell.querySelector("b, i, .letter")) lettered.add(cell.cellIndex); }));
    const line = (row) => {
      const out = [];
      let column = 0;
      [...row.cells].forEach((cell) => {
        const extra = [...cell.querySelectorAll("b, i, .letter")].map(words).join(" ");
        const plain = cell.cloneNode(true);
        plain.querySelectorAll("b, i, .letter").forEach((one) => one.remove());
        out.push(words(plain));
        for (let k = 0; k < cell.colSpan; k++, column++) {
          if (k) out.push("");
          if (lettered.has(column)) out.push(k ? "" : extra);
        }
      });
      return out.join("\t");
    };
    return rows.map(line).join("\n");
  }

  function copy(section) {
    const text = copied(section), told = section.querySelector(".tools [role=status]");
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
        const row = rowsOf(section)[index], total = values[table.total];
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
        const row = rowsOf(section)[index];
        row.cells[1].textContent = on ? "n" : tables[t].signs[index];
        texts.forEach(([percent, count], k) => { row.cells[k + 2].firstChild.nodeValue = on ? count : percent; });
      }
    });
  }

  // --- beginning --------------------------------------------------------------------------------

  const widths = new ResizeObserver((found) => found.forEach(({ target }) => {
    target.classList.toggle("fits", target.firstElementChild.offsetWidth <= target.clientWidth);
  }));

  function prepare(section) {
    const table = tables[+section.dataset.table], scroll = section.querySelector(".scroll");
    section.querySelectorAll(".columns th[scope=col]").forEach((th, k) => {
      if (k < 2) return;
      const button = document.createElement("button");
      button.type = "button";
      button.tabIndex = -1;
      button.title = say("Sort by this column");
      button.append(...th.childNodes);
      th.append(button);
      button.addEventListener("click", () => sort(section, k - 2, th));
    });
    const button = section.querySelector(".copy");
    button.hidden = false;
    button.addEventListener("click", () => copy(section));
    scroll.removeAttribute("tabindex");
    scroll.removeAttribute("role");
    scroll.removeAttribute("aria-label");
    widths.observe(scroll);
    const first = section.querySelector("tbody tr");
    if (first) inside(first.cells[0]).tabIndex = 0;
    const grid = section.querySelector("table");
    grid.addEventListener("keydown", (event) => step(section, event));
    grid.addEventListener("mousedown", (event) => { const cell = event.target.closest("th, td"); if (cell && cell.closest("tbody")) settle(section, cell); });
    for (const index of Object.keys(table.lines)) rowsOf(section)[index].classList.add("tested");
  }

  function follow(links) {
    links.forEach((link) => link.addEventListener("click", (event) => {
      event.preventDefault();
      const target = document.getElementById(link.hash.slice(1));
      history.pushState(null, "", link.hash);
      land(target);
      const cell = target.querySelector("table [tabindex='0']");
      if (cell) cell.focus({ preventScroll: true });
    }));
  }

  sections.forEach(prepare);
  $("controls").hidden = false;
  $("controls").addEventListener("submit", (event) => event.preventDefault());
  $("find").addEventListener("input", find);
  TESTING.forEach((id) => $(id).addEventListener("input", retest));
  document.querySelectorAll("input[name=figure]").forEach((box) => box.addEventListener("change", figures));
  $("counts").addEventListener("change", counts);
  ["highlight", "points"].forEach((id) => $(id).addEventListener("input", highlight));
  $("reset").addEventListener("click", () => setTimeout(() => { find(); retest(); figures(); counts(); highlight(); }, 0));
  follow(document.querySelectorAll("nav a, #summary a"));
  addEventListener("hashchange", landOnHash);
  addEventListener("popstate", landOnHash);
  landOnHash();
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
/* more */
})();
