// Shows what was made for the chosen period and items: it calculates no figure, it only looks one up and draws it.
"use strict";
(async () => {
  const byId = (id) => document.getElementById(id);

  // five signs of 85 stand for four bytes
  function decoded(text) {
    const signs = "0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz!#$%:()*+-;.=,?@^_`{|}~";
    const of = new Uint8Array(128);
    for (let n = 0; n < 85; n++) of[signs.charCodeAt(n)] = n;
    const bytes = new Uint8Array((text.length / 5) * 4);
    for (let at = 0, to = 0; at < text.length; at += 5) {
      let value = 0;
      for (let n = 0; n < 5; n++) value = value * 85 + of[text.charCodeAt(at + n)];
      bytes[to++] = value / 16777216; bytes[to++] = value >>> 16; bytes[to++] = value >>> 8; bytes[to++] = value;
    }
    return bytes;
  }
  if (typeof DecompressionStream === "undefined") { byId("told").hidden = false; return; }
  const { packed, bytes: size } = JSON.parse(byId("data").textContent);
  const bytes = decoded(packed).subarray(0, size);
  const unpacked = new Blob([bytes]).stream().pipeThrough(new DecompressionStream("gzip"));
  const { page, shared, cards, sections } = await new Response(unpacked).json();
  for (const { pool: held, taken } of [cards, ...sections].filter(Boolean)) {
    for (let n = 0; n < taken.length; n += 2) held[taken[n]] = shared[taken[n + 1]];
  }
  let pool = [];  // of the section that is being shown
  const said = page.said;
  const picks = new Map(page.picks.map((pick, place) => [JSON.stringify(pick), place]));
  const form = document.querySelector("form.choices");
  const selects = { period: form && form.querySelector("select"), choices: [], items: [] };  // by place: a dimension may have any name
  const always = [...document.querySelectorAll(".notes li")].map((one) => one.textContent);
  let notes = new Set();  // those that stand on the page already
  const ofGrain = page.choices.findIndex(({ key }) => key === "grain");

  // --- elements

  function element(tag, looks, ...inside) {
    const made = document.createElement(tag);
    for (const [name, value] of Object.entries(looks || {})) {
      if (name === "on") for (const [event, act] of Object.entries(value)) made.addEventListener(event, act);
      else if (value !== null && value !== undefined && value !== false) made.setAttribute(name, value === true ? "" : value);
    }
    made.append(...inside.filter((one) => one !== null && one !== undefined));
    return made;
  }

  // --- what is chosen

  // the periods of the grain that is chosen, those of the sections where none is
  const grain = (chosen) => page.grains[ofGrain < 0 ? 0 : chosen[ofGrain]] || { periods: [], chosen: 0 };

  // all settings stand in one list, the last choice changing first
  const setting = (chosen) => chosen.reduce((place, one, n) => place * page.choices[n].options.length + one, 0);

  function address() {
    const told = new URLSearchParams(location.hash.slice(1));
    const gone = [], known = new Set(["period", "at"]);
    const wanted = (key, offered) => {
      known.add(key);
      const one = told.get(key), place = one ? offered.indexOf(one) : -1;
      if (one && place < 0) gone.push(one);
      return place;
    };
    const chosen = page.choices.map(({ key, options }) => Math.max(wanted(key, options.map(([value]) => value)), 0));
    const { periods, chosen: opening } = grain(chosen), period = wanted("period", periods.map(([label]) => label));
    const pick = page.dimensions.map(({ key, items }) => items[wanted(key, items)] || "");
    for (const [key, one] of told) if (one && !known.has(key)) gone.push(one);
    return { chosen, period: period < 0 ? opening : period, pick, gone, at: told.get("at") };
  }

  function addressOf({ chosen, period, pick }, at) {
    const told = new URLSearchParams({ period: (grain(chosen).periods[period] || [""])[0] });
    page.choices.forEach(({ key, options }, place) => { if (chosen[place]) told.set(key, options[chosen[place]][0]); });
    page.dimensions.forEach(({ key }, place) => { if (pick[place]) told.set(key, pick[place]); });
    if (at) told.set("at", at);
    return told.toString();
  }

  let shown = null;  // what is chosen now

  function choose() {
    const chosen = selects.choices.map((one) => one.selectedIndex), { periods } = grain(chosen);
    let period = periods.findIndex(([label]) => label === selects.period.value);
    if (shown && grain(shown.chosen).periods !== periods) {  // of another grain the period that holds the same day
      const [, , last] = grain(shown.chosen).periods[shown.period];
      period = periods.findIndex(([, , day]) => day >= last);
      if (period < 0) period = periods.length - 1;
    }
    location.hash = addressOf({ chosen, period, pick: selects.items.map((one) => one.value) });
  }

  function chooser(key, label, options) {
    const made = element("select", { name: key }, ...options.map(([value, text]) => element("option", { value }, text)));
    form.append(element("label", {}, element("span", {}, label), made));
    return made;
  }

  function offer() {
    if (!form) return;
    for (const { key, label, all, items } of page.dimensions) selects.items.push(chooser(key, label, [["", all], ...items.map((item) => [item, item])]));
    for (const { key, label, options } of page.choices) selects.choices.push(chooser(key, label, options));
    form.addEventListener("change", choose);
    form.addEventListener("submit", (event) => event.preventDefault());
  }

  let offered = null;
  function offerPeriods(periods) {
    if (offered === periods) return;
    offered = periods;
    const options = periods.map(([label, words]) => element("option", { value: label }, words === label ? label : `${label} · ${words}`));
    selects.period.replaceChildren(...options.reverse());
  }

  // --- cards and tables

  function card([measure, period, name, when, figure, moved, change, earlier, verdict, value, growth]) {
    const made = element(
      "article",
      { class: "card", "data-measure": measure, "data-period": period, "data-value": value, "data-growth": growth },
      element("small", {}, `${name} · ${when}`),
      element("b", {}, figure),
      element("em", { class: verdict }, change ? `${moved} · ${change}` : moved),
      element("small", {}, earlier),
    );
    made.style.setProperty("--mark", `var(--${verdict || "level"})`);
    return made;
  }

  // what a cell shows; `of`: of which window and basis, where several columns show one
  function named(name, of) {
    if (!of) return { "data-column": name.replace(/^dim:/, "") };
    return { "data-column": of.column, "data-window": of.window, "data-basis": of.basis };
  }

  // the class of a column: the first one below a head that spans several stands apart
  function opening(kind, of) { return of && !of.basis ? `${kind} opens` : kind; }

  function cell([name, heading, kind, of], row, place) {
    const content = row.cells[place], figure = row.figures[place];
    const looks = { ...named(name, of), "data-value": figure };
    if (kind === "bar") {
      const share = element("i", { class: "share" });
      if (content === "") return element("td", looks);
      share.style.setProperty("--part", `${content * 100}%`);
      return element("td", { ...looks, "aria-hidden": true }, share);
    }
    if (kind === "spark") return element("td", { class: "spark", "aria-hidden": true }, content.length ? small(content) : null);
    if (kind === "judged") {
      const [mark, text] = Array.isArray(content) ? content : ["", content];
      const inside = element("span", {}, element("span", {}, mark), element("span", {}, text));
      return element("td", { ...looks, class: `figure judged ${(row.verdicts ? row.verdicts[place] : row.verdict) || ""}` }, inside);
    }
    if (place === 0) return element("th", { ...looks, scope: "row", class: kind }, content);
    const verdict = (row.verdicts || [])[place] || "";
    return element("td", { ...looks, class: `${opening(kind, of)} ${verdict}`.trim() }, content);
  }

  // a small line of heights from 0 to 1
  function small(heights) {
    const wide = 64, high = 18, step = heights.length > 1 ? (wide - 6) / (heights.length - 1) : 0;
    const x = (n) => 3 + n * step, y = (n) => high - 3 - heights[n] * (high - 6);
    const line = d3.line().defined((n) => heights[n] !== null).x(x).y(y)(d3.range(heights.length));
    const drawn = d3.create("svg:svg").attr("viewBox", `0 0 ${wide} ${high}`).attr("width", wide).attr("height", high);
    drawn.append("path").attr("d", line).style("fill", "none").style("stroke", "var(--current)").style("stroke-width", 1.3);
    const last = heights.length - 1;
    if (heights[last] !== null) drawn.append("circle").attr("cx", x(last)).attr("cy", y(last)).attr("r", 2).style("fill", "var(--current)");
    return drawn.node();
  }

  const OPENING = ["period", "when"];

  // a row; `opening`: the cells of its period, where it is the first one of it
  function line(row, head, opening) {
    const made = element("tr", {
      "data-period": row.period, "data-measure": row.measure, "data-item": row.item,
      class: [...(row.looks || []), ...(opening && opening.starts ? ["starts"] : [])].join(" "),
    });
    head.forEach((column, place) => {
      const shown = cell(column, row, place);
      const opens = OPENING.indexOf(column[0]);
      if (opening && opens >= 0 && !row.cells[place]) shown.textContent = opening.cells[opens];
      if (column[0].startsWith("dim:") && row.depth) shown.style.paddingLeft = `${8 + 14 * row.depth}px`;
      made.append(shown);
    });
    return made;
  }

  function plain(row, place, kind) {
    const figure = row.figures[place], content = row.cells[place];
    if (figure !== null && figure !== undefined) return figure;
    if (kind === "bar") return "";
    return harmless(Array.isArray(content) ? content.join(" ").trim() : String(content));
  }

  // a text that no spreadsheet takes for a formula, where that is asked for
  function harmless(text) { return page.formulas.some((sign) => text.startsWith(sign)) ? `'${text}` : text; }

  // rows as fields parted by a sign, each field in quotes where it needs them: the columns of a file of the answer
  function fields({ head, columns }, rows, opens, part) {
    const quoted = (text) => (/["\n\r\t,;]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text);
    let named, lines;
    if (columns.length) {
      named = columns.map(([name]) => harmless(name));
      lines = rows.filter((row) => !row.unsaved).map((row) => {
        const values = [...opens.get(row.period)[1]], own = row.own || [];
        for (let n = 0; n < own.length; n += 2) values[own[n]] = own[n + 1];
        return values.map((text, place) => (columns[place][1] ? harmless(text) : text));
      });
    } else {  // lines that are no rows of an answer
      const kept = head.map((column, place) => [column, place]).filter(([[name, , kind]]) => kind !== "bar" && kind !== "spark" && name !== "when");
      named = kept.map(([[name]]) => harmless(name.replace(/^dim:/, "")));
      lines = rows.map((row) => kept.map(([[name, , kind], place]) => plain(row, place, kind) || (opens.get(row.period) || [[]])[0][OPENING.indexOf(name)] || ""));
    }
    return [named, ...lines].map((one) => one.map((text) => quoted(String(text))).join(part)).join("\r\n") + "\r\n";
  }

  function save(name, text) {
    const link = element("a", { download: name, href: URL.createObjectURL(new Blob(["\ufeff", text], { type: "text/csv" })) });
    link.click();
    setTimeout(() => URL.revokeObjectURL(link.href), 1000);
  }

  async function copy(text, button) {
    try { await navigator.clipboard.writeText(text); } catch {
      const area = element("textarea", {}, text);
      document.body.append(area);
      area.select();
      document.execCommand("copy");
      area.remove();
    }
    tell(said.copied);
    const before = button.textContent;
    button.textContent = said.copied;
    setTimeout(() => { button.textContent = before; }, 1500);
  }

  function table(of, heading) {
    const frame = pool[of.frame], head = frame.head, rows = (of.part ? pool[of.rows].slice(...of.part) : pool[of.rows]).map((place) => pool[place]);
    const opens = new Map(pool[of.opens]);
    const lines = (listed, starts) => {
      const seen = new Set();
      return listed.map((row) => {
        const first = !seen.has(row.period);
        seen.add(row.period);
        return line(row, head, first || !starts ? { cells: (opens.get(row.period) || [[]])[0], starts: starts && first } : null);
      });
    };
    const body = element("tbody", {}, ...lines(rows, true));
    const heads = head.map(([name, text, kind, of], place) => {
      const made = element("th", { scope: "col", class: opening(kind, of), ...named(name, of) });
      if (kind === "bar" || kind === "spark") return element("td", { class: kind });
      const label = text || (name === "when" || name === "note" || name === "what" ? "" : name);
      if (label) made.append(element("button", { type: "button", title: said.sort.replace("{heading}", label), on: { click: () => sort(place) } }, label));
      return label ? made : element("td", {});
    });
    let by = -1, down = false;
    function sort(place) {
      const kind = head[place][2];
      const numeric = kind === "figure" || kind === "judged";
      down = by === place ? !down : numeric;
      by = place;
      const known = (row) => (numeric ? row.figures[place] !== "" && row.figures[place] !== null : true);
      const key = (row) => (numeric ? Number(row.figures[place]) : row.cells[place] || row.period);
      const order = (one, other) => {
        if (known(one) !== known(other)) return known(one) ? -1 : 1;
        const a = key(one), b = key(other);
        return (a < b ? -1 : a > b ? 1 : 0) * (down ? -1 : 1);
      };
      const last = (row) => ["others", "total"].findIndex((look) => (row.looks || []).includes(look));  // -1: none of them
      const sorted = [...rows.filter((row) => last(row) < 0).sort(order), ...rows.filter((row) => last(row) === 0), ...rows.filter((row) => last(row) > 0)];
      body.replaceChildren(...lines(sorted, false));
      heads.forEach((one, at) => { if (at === by) one.setAttribute("aria-sort", down ? "descending" : "ascending"); else one.removeAttribute("aria-sort"); });
    }
    const caption = element("caption", {}, frame.title, frame.unit ? element("span", {}, frame.unit) : null);
    const made = element("table", { class: frame.groups && "grouped" }, caption, element("thead", {}, ...spanning(frame), element("tr", {}, ...heads)), body);
    const scroll = element("div", { class: "scroll", tabindex: "0", role: "region", "aria-label": frame.title, on: { scroll: (event) => edge(event.currentTarget) } }, made);
    const name = [heading, location.hash.slice(1)].filter(Boolean).join(" ").replace(/[^\p{L}\p{N}]+/gu, "-").replace(/^-+|-+$/g, "");
    const tools = element("div", { class: "tools" },
      element("button", { type: "button", class: "save", on: { click: () => save(`${name}.csv`, fields(frame, rows, opens, ",")) } }, said.save),
      element("button", { type: "button", class: "copy", on: { click: (event) => copy(fields(frame, rows, opens, "\t"), event.currentTarget) } }, said.copy));
    const once = frame.lines.filter((text) => !notes.has(text));  // each note stands once on the page
    once.forEach((text) => notes.add(text));
    const below = element("ul", { class: "lines" }, ...once.map((text) => element("li", {}, text)));
    return [scroll, ...(rows.length ? [tools] : [element("p", {}, frame.empty)]), below];
  }

  // the heads that span columns, where there are any
  function spanning({ groups }) {
    if (!groups) return [];
    const heads = groups.map(([text, span]) => (text ? element("th", { scope: "colgroup", colspan: span, class: "group" }, text) : element("td", { colspan: span })));
    return [element("tr", {}, ...heads)];
  }

  function tell(text) { byId("live").textContent = text; }

  // --- what is shown

  // which views of a part of the page are shown, of those that its settings share
  function viewsOf(of, chosen) {
    const place = setting(chosen);
    return of.views[of.settings[of.settings.length > place ? place : 0]];
  }

  function section(root, of, { chosen, period }, pick) {
    const view = root.querySelector(".view"), before = view.querySelector("details.more");
    const open = before ? before.open : roots.length === 1;  // what stands alone is shown whole
    pool = of.pool;
    const tell = (text) => element("p", { class: "told" }, text);
    if (of.refused) { view.replaceChildren(tell(of.refused)); return; }
    if (pick === undefined) { view.replaceChildren(tell(said.none)); return; }
    const views = viewsOf(of, chosen), keeps = of.keeps[of.keeps.length > 1 ? setting(chosen) : 0];
    const one = views.length > pick ? views[pick] : views[0], shown = pool[one[one.length > period ? period : 0]];
    const made = [keeps, shown.keeps].filter(Boolean).map((text) => element("p", { class: "keeps" }, text));
    if (shown.refused) { view.replaceChildren(...made, tell(shown.refused)); return; }
    const words = pool[shown.words], drawn = shown.figure && !shown.figure.refused;
    const sentence = words.length ? element("p", { class: "said" }, words.join(" ").replaceAll(" %", "\u00a0%")) : null;
    const tables = shown.tables.flatMap((one) => table(one, of.heading));
    if (drawn) {
      made.push(sentence, figure(shown.figure, words));
      if (tables.length) made.push(element("details", { class: "more", open }, element("summary", {}, said.table), ...tables));
    } else {
      if (shown.figure) made.push(sentence, tell(shown.figure.refused), ...tables);
      else made.push(...tables, sentence);
    }
    view.replaceChildren(...made.filter(Boolean));
    for (const one of view.querySelectorAll("figure")) one.redraw();
    for (const one of view.querySelectorAll(".scroll")) edged.observe(one);
  }

  // a table that is wider than its place shows an edge where it goes on
  const edged = new ResizeObserver((seen) => seen.forEach(({ target }) => edge(target)));
  function edge(scroll) {
    const past = scroll.scrollWidth - scroll.clientWidth - scroll.scrollLeft;
    scroll.classList.toggle("goes-on", past > 1);
    scroll.classList.toggle("came-from", scroll.scrollLeft > 1);
  }

  const roots = [...document.querySelectorAll("section[data-section]")];

  function show() {
    const now = address(), { chosen, period, pick, gone, at } = now;
    shown = now;
    if (form) {
      offerPeriods(grain(chosen).periods);
      selects.period.value = (grain(chosen).periods[period] || [""])[0];
      selects.choices.forEach((one, place) => { one.selectedIndex = chosen[place]; });
      selects.items.forEach((one, place) => { one.value = pick[place]; });
      byId("gone").hidden = !gone.length;
      if (gone.length) {
        byId("gone").textContent = said.gone.replace("{asked}", gone.join(", "));
        tell(byId("gone").textContent);
        history.replaceState(null, "", `#${addressOf(now, at)}`);
      }
    }
    hide();
    const place = picks.get(JSON.stringify(pick));
    if (byId("cards")) {
      const made = cards && place !== undefined ? cards.pool[viewsOf(cards, chosen)[place][period]] : [];
      byId("cards").replaceChildren(...made.map(card));
    }
    notes = new Set(always);
    roots.forEach((root, n) => section(root, sections[n], now, place));
    for (const link of links) link.href = `#${addressOf(now, link.dataset.of)}`;
    if (at) goTo(at);
    document.documentElement.dataset.shown = location.hash;
    performance.mark("shown");
  }

  // --- the list of sections

  const links = [...document.querySelectorAll("nav.contents a")];

  // a link to a section opens its table
  function goTo(heading) {
    const root = roots.find((one) => one.dataset.section === heading) || (heading === said.records ? document.querySelector("section.notes") : null);
    if (!root) return;
    for (const one of root.querySelectorAll("details.more")) one.open = true;
    for (const one of root.querySelectorAll("figure")) one.redraw();
    root.scrollIntoView();
  }

  function following() {
    if (!links.length) return;
    const watched = [...document.querySelectorAll("main > section")];
    const follow = () => {
      const line = innerHeight / 3;
      const ended = innerHeight + scrollY >= document.documentElement.scrollHeight - 2;
      const passed = watched.filter((one) => one.getBoundingClientRect().top <= line);
      const at = ended && scrollY > 0 ? watched.at(-1) : passed.at(-1) || watched[0];
      links.forEach((link, n) => { if (watched[n] === at) link.setAttribute("aria-current", "true"); else link.removeAttribute("aria-current"); });
    };
    addEventListener("scroll", follow, { passive: true });
    addEventListener("resize", follow);
    follow();
  }

  // what stands below the bar of choices begins below it
  if (form) new ResizeObserver(() => {
    const tall = form.offsetHeight > innerHeight / 4;  // it would hide what it is about
    form.classList.toggle("tall", tall);
    document.documentElement.style.setProperty("--bar", tall ? "0px" : `${form.offsetHeight}px`);
  }).observe(form);

  // what is folded is open on paper, unless the page says otherwise
  if (document.body.dataset.print !== "summary") {
    let folded = [];
    addEventListener("beforeprint", () => {
      folded = [...document.querySelectorAll("details.more:not([open])")];
      folded.forEach((one) => { one.open = true; });
    });
    addEventListener("afterprint", () => { folded.forEach((one) => { one.open = false; }); });
  }

  // --- figures

  const SCALE = 96 / 72, LEAST = 1.12, WIDEST = 1.5;
  const DASHES = { solid: null, dashed: "4.5 2.2", dotted: "1 2.4" };
  let number = 0;

  function tone(role, strength) {
    return strength >= 1 ? `var(--${role})` : `color-mix(in srgb, var(--${role}) calc(${Math.round(strength * 1000) / 10}% * var(--paler)), var(--paper))`;
  }

  function sample(entry) {
    const drawn = d3.create("svg:svg").attr("viewBox", "0 0 22 12").attr("aria-hidden", "true");
    if (entry.look === "bar" || entry.look === "band") drawn.append("rect").attr("width", 22).attr("height", 12).style("fill", tone(entry.role, entry.strength));
    else drawn.append("line").attr("x1", entry.look === "tick" ? 4 : 0).attr("x2", entry.look === "tick" ? 18 : 22).attr("y1", 6).attr("y2", 6)
      .style("stroke", tone(entry.role, 1)).style("stroke-width", entry.weight).style("stroke-dasharray", DASHES[entry.dash]);
    return element("li", {}, drawn.node(), element("span", {}, entry.words));
  }

  function figure(of, words) {
    const seen = of.seen === undefined ? null : pool[of.seen], whole = pool[of.scene];
    // of what is seen in part the sentence beside it tells
    const scene = seen && words.length ? { ...whole, alt: `${whole.alt}: ${words[0].replace(/\.$/, "")}` } : whole;
    const legend = element("ul", { class: "legend" }, ...pool[seen ? seen[3] : scene.legend].map(sample));
    const drawing = element("div", { class: "drawing", tabindex: "0", role: "group", "aria-label": `${scene.alt}. ${said.figure}` });
    const made = element("figure", {}, element("figcaption", {}, scene.title), legend, drawing, scene.remark ? element("p", { class: "remark" }, scene.remark) : null);
    if (scene.empty) { drawing.replaceChildren(element("p", {}, scene.empty)); made.redraw = () => {}; return made; }
    let width = 0;
    const own = pool;
    made.redraw = () => {
      if (drawing.clientWidth === width) return;
      width = drawing.clientWidth;
      pool = own;
      draw(drawing, scene, seen, width);
    };
    new ResizeObserver(() => made.redraw()).observe(drawing);
    return made;
  }

  // the boxes of panels in so many points: one that can be narrower is, several stand below each other
  function laidOut(scene, seen, room) {
    const panels = scene.panels.map((panel, place) => ({ ...panel, box: [...panel.box], x: pool[panel.x], y: seen ? { ...pool[seen[2][place] ?? seen[2][0]], labeled: pool[panel.y].labeled } : pool[panel.y] }));
    if (seen) panels.forEach((panel, place) => {
      panel.x = { ...panel.x, low: seen[0], high: seen[1] };
      const [marks, ticks] = seen.slice(4);
      if (marks.length) panel.layers = [...panel.layers, marks[place]];
      if (ticks.length) { panel.joined = true; panel.x.ticks = ticks; }
    });
    let [width, height] = scene.size;
    const gridded = panels.some((panel) => panel.layers.some((layer) => pool[layer].kind === "tiles"));
    if (room > width) return { panels: widened(panels, Math.min(room, width * WIDEST) - width), width: Math.min(room, width * WIDEST), height };
    if (gridded) return { panels, width, height };
    if (panels.length === 1) {
      const [box] = panels.map((panel) => panel.box);
      const narrow = Math.max(box[2] - (width - room), seen ? 130 : 110);
      if (seen) narrowed(panels[0], box[2], narrow);
      width -= box[2] - narrow;
      box[2] = narrow;
      return { panels, width, height };
    }
    const left = Math.min(...panels.map((panel) => panel.box[0])), right = width - Math.max(...panels.map((panel) => panel.box[0] + panel.box[2]));
    const each = Math.max(...panels.map((panel) => panel.box[3])), apart = 78;
    width = Math.max(room, left + right + 150);
    height = (each + apart) * panels.length + 20;
    panels.forEach((panel, place) => {
      const wide = width - left - right;
      if (seen) narrowed(panel, panel.box[2], wide);
      panel.box = [left, height - (each + apart) * (place + 1) + 34, wide, each];
      panel.x = { ...panel.x, labeled: true };
      panel.y = { ...panel.y, labeled: true };
    });
    return { panels, width, height };
  }

  // panels that stand side by side share the room there is more
  function widened(panels, more) {
    const lefts = [...new Set(panels.map(({ box }) => Math.round(box[0])))].sort(d3.ascending), each = more / lefts.length;
    return panels.map((panel) => {
      const [left, bottom, wide, high] = panel.box;
      return { ...panel, box: [left + lefts.indexOf(Math.round(left)) * each, bottom, wide + each, high] };
    });
  }

  function narrowed(panel, wide, narrow) {
    const many = panel.x.high - panel.x.low;
    const fewer = Math.min(many, Math.max(Math.floor((many * narrow) / wide), 2));
    panel.x = { ...panel.x, low: panel.x.high - fewer };
  }

  function draw(root, scene, seen, room) {
    root.replaceChildren();
    const scale = Math.min(Math.max(room / scene.size[0], LEAST), SCALE);
    const { panels, width, height } = laidOut(scene, seen, room / scale);
    const svg = d3.create("svg:svg").attr("role", "img").attr("aria-label", scene.alt);
    root.append(svg.node());
    const targets = [];
    for (const panel of panels) drawPanel(svg, panel, height, targets);
    // what is cut off at a panel's edge has a box all the same: it is hidden while the rest is measured
    const clipped = svg.selectAll(".clipped").style("display", "none");
    const drawn = svg.node().getBBox();
    clipped.style("display", null);
    const tops = panels.map(({ box }) => height - box[1] - box[3]), lows = panels.map(({ box }) => height - box[1]);
    const top = Math.floor(Math.min(drawn.y, ...tops)) - 4, high = Math.ceil(Math.max(drawn.y + drawn.height, ...lows)) + 4 - top;
    const leftmost = Math.floor(drawn.x) - 2, wide = Math.max(width, Math.ceil(drawn.x + drawn.width) + 2) - leftmost;
    svg.attr("viewBox", `${leftmost} ${top} ${wide} ${high}`).attr("width", Math.round(wide * scale)).attr("height", Math.round(high * scale));
    root.scrollLeft = root.scrollWidth;
    point(root, targets);
  }

  function drawPanel(svg, panel, height, targets) {
    const [left, bottom, wide, high] = panel.box;
    const x = d3.scaleLinear([panel.x.low, panel.x.high], [0, wide]);
    const y = d3.scaleLinear([panel.y.low, panel.y.high], [high, 0]);
    const g = svg.append("g").attr("transform", `translate(${left},${height - bottom - high})`);
    const clip = `clip${++number}`;
    g.append("clipPath").attr("id", clip).append("rect").attr("width", wide).attr("height", high);
    // lines that join places end at those that are seen
    const ends = panel.joined ? [x(panel.x.low + 0.5) - 0.5, x(panel.x.high - 0.5) + 0.5] : [0, wide];
    g.append("clipPath").attr("id", `${clip}-lines`).append("rect").attr("x", ends[0]).attr("width", ends[1] - ends[0]).attr("height", high);
    axis(g, "y", panel.y, y, wide, high);
    axis(g, "x", panel.x, x, wide, high);
    const inside = (value) => value >= Math.min(panel.x.low, panel.x.high) && value <= Math.max(panel.x.low, panel.x.high);
    for (const place of panel.layers) {
      const layer = pool[place];
      const of = g.append("g");
      if (layer.kind !== "captions") of.attr("clip-path", `url(#${clip}${layer.kind === "path" ? "-lines" : ""})`).attr("class", "clipped");
      LAYERS[layer.kind](of, layer, x, y, wide, high, inside, targets);
    }
    if (panel.heading) label(g, 0, -8, panel.heading, { weight: "bold", size: 10.5 });
  }

  function label(g, x, y, text, { anchor = "start", size = 9, weight = null, role = "ink", base = null, halo = false } = {}) {
    const made = g.append("text").attr("x", x).attr("y", y).attr("text-anchor", anchor).style("font-size", `${size}px`)
      .style("fill", `var(--${role})`).style("font-weight", weight);
    if (base) made.attr("dominant-baseline", base);
    if (halo) made.style("paint-order", "stroke").style("stroke", "var(--paper)").style("stroke-width", 3).style("stroke-linejoin", "round");
    made.text(text);
    return made;
  }

  function axis(g, which, of, scale, wide, high) {
    const along = which === "x";
    const ticks = of.ticks.filter(([at]) => at >= Math.min(of.low, of.high) && at <= Math.max(of.low, of.high));
    const text = new Map(ticks);
    const named = (along ? d3.axisBottom : d3.axisLeft)(scale).tickValues(ticks.map(([at]) => at)).tickSize(0).tickPadding(6)
      .tickFormat((at) => (of.labeled ? text.get(at) : ""));
    if (of.grid) for (const [at] of ticks) {
      const line = g.append("line").style("stroke", "var(--grid)").style("stroke-width", 0.8);
      if (along) line.attr("x1", scale(at)).attr("x2", scale(at)).attr("y1", 0).attr("y2", high);
      else line.attr("x1", 0).attr("x2", wide).attr("y1", scale(at)).attr("y2", scale(at));
    }
    const made = g.append("g").attr("transform", along ? `translate(0,${high})` : null).call(named);
    made.attr("font-size", null).attr("font-family", null);
    made.selectAll("text").style("font-size", "9px").style("fill", "var(--ink)").each(function () {
      const lines = this.textContent.split("\n");
      if (lines.length > 1) {
        this.textContent = "";
        lines.forEach((one, n) => d3.select(this).append("tspan").attr("x", 0).attr("dy", n ? "1.25em" : "0.71em").text(one));
      }
    });
    made.select(".domain").style("stroke", of.line ? "var(--grid)" : "none").style("stroke-width", 0.8);
    made.selectAll(".tick line").remove();
    if (along && of.labeled) parted(made);
    if (!of.words) return;
    const bounds = made.node().getBBox();
    if (along) label(g, wide / 2, high + bounds.y + bounds.height + 13, of.words, { anchor: "middle", role: "level" });
    else label(g, 0, 0, of.words, { anchor: "middle", role: "level" }).attr("transform", `translate(${bounds.x - 8},${high / 2}) rotate(-90)`);
  }

  // tick texts that would overlap are left out, counted from the last
  function parted(ticks) {
    let edge = Infinity;
    for (const text of ticks.selectAll("text").nodes().reverse()) {
      const { left, right } = text.getBoundingClientRect();
      if (right > edge - 3) text.remove(); else edge = left;
    }
  }

  const series = (layer, ...names) => names.map((name) => pool[layer[name]]);
  const LAYERS = {
    bars(g, layer, x, y) {
      const [start, end, low, high] = series(layer, "start", "end", "low", "high");
      const across = layer.along === "y" ? x : y, along = layer.along === "y" ? y : x;
      start.forEach((one, n) => {
        if (high[n] === null || low[n] === null) return;
        const sides = [across(one), across(end[n])].sort(d3.ascending), ends = [along(low[n]), along(high[n])].sort(d3.ascending);
        const [px, py] = layer.along === "y" ? [sides, ends] : [ends, sides];
        g.append("rect").attr("x", px[0]).attr("y", py[0]).attr("width", px[1] - px[0]).attr("height", py[1] - py[0]).style("fill", tone(layer.role, layer.strength));
      });
    },
    ticks(g, layer, x, y) {
      const [position, at] = series(layer, "position", "at");
      const strokes = layer.halo ? [["paper", layer.weight + 2], [layer.role, layer.weight]] : [[layer.role, layer.weight]];
      position.forEach((one, n) => {
        if (at[n] === null) return;
        const ends = layer.along === "y" ? [x(one - layer.half), y(at[n]), x(one + layer.half), y(at[n])] : [x(at[n]), y(one - layer.half), x(at[n]), y(one + layer.half)];
        for (const [role, weight] of strokes) g.append("line").attr("x1", ends[0]).attr("y1", ends[1]).attr("x2", ends[2]).attr("y2", ends[3]).style("stroke", `var(--${role})`).style("stroke-width", weight);
      });
    },
    path(g, layer, x, y) {
      const [xs, ys] = series(layer, "x", "y");
      const line = d3.line().defined((n) => xs[n] !== null && ys[n] !== null).x((n) => x(xs[n])).y((n) => y(ys[n]));
      g.append("path").attr("d", line(d3.range(xs.length))).style("fill", "none").style("stroke", `var(--${layer.role})`).style("stroke-width", layer.weight)
        .style("stroke-linejoin", "round").style("stroke-linecap", layer.dash === "solid" && layer.weight > 1 ? "round" : "butt").style("stroke-dasharray", DASHES[layer.dash]);
    },
    ribbon(g, layer, x, y) {
      const [xs, low, high] = series(layer, "x", "low", "high");
      const area = d3.area().defined((n) => low[n] !== null && high[n] !== null).x((n) => x(xs[n])).y0((n) => y(low[n])).y1((n) => y(high[n]));
      g.append("path").attr("d", area(d3.range(xs.length))).style("fill", tone(layer.role, layer.strength));
    },
    dots(g, layer, x, y) {
      const [xs, ys] = series(layer, "x", "y");
      xs.forEach((one, n) => { if (ys[n] !== null) g.append("circle").attr("cx", x(one)).attr("cy", y(ys[n])).attr("r", layer.size / 2).style("fill", `var(--${layer.role})`); });
    },
    tiles(g, layer, x, y) {
      for (const [x0, y0, x1, y1, role, strength] of layer.cells) {
        const [left, right] = [x(x0), x(x1)].sort(d3.ascending), [top, low] = [y(y0), y(y1)].sort(d3.ascending);
        g.append("rect").attr("x", left).attr("y", top).attr("width", right - left + 0.3).attr("height", low - top + 0.3).style("fill", tone(role, strength));
      }
    },
    captions(g, layer, x, y, wide, high, inside) {
      const anchors = { l: "start", c: "middle", r: "end" }, bases = { t: "hanging", c: "central", b: "auto" };
      for (const of of layer.texts) {
        const [tx, ty, text, role = "ink", dx = 0, dy = 0, across = "c", upright = "c", size = 9, bold = 0, frame = "", halo = 0] = of;
        if (frame !== "x" && !inside(tx)) continue;
        const px = (frame === "x" ? tx * wide : x(tx)) + dx, py = (frame === "y" ? (1 - ty) * high : y(ty)) - dy;
        label(g, px, py, text, { anchor: anchors[across], base: bases[upright], size, weight: bold ? "bold" : null, role, halo: Boolean(halo) });
      }
    },
    details(g, layer, x, y, wide, high, inside, targets) {
      const [low, top] = series(layer, "low", "high");
      const cross = layer.cross ? layer.cross.map((side) => pool[side]) : null;
      low.forEach((one, n) => {
        if (layer.along === "x" && !inside((one + top[n]) / 2)) return;
        const along = layer.along === "x" ? x : y, across = layer.along === "x" ? y : x;
        const ends = [along(one), along(top[n])].sort(d3.ascending);
        const sides = cross ? [across(cross[0][n]), across(cross[1][n])].sort(d3.ascending) : [0, layer.along === "x" ? high : wide];
        const [px, py] = layer.along === "x" ? [ends, sides] : [sides, ends];
        const target = g.append("rect").attr("class", "target").attr("x", px[0]).attr("y", py[0]).attr("width", px[1] - px[0]).attr("height", py[1] - py[0]).node();
        targets.push({ target, rows: pool[layer.rows[n]] });
      });
    },
  };

  // --- details: the pointer's, or the keyboard's by arrow keys

  function hide() {
    byId("detail").hidden = true;
    for (const one of document.querySelectorAll(".target.on")) one.classList.remove("on");
  }

  function detail({ target, rows }, { spoken }) {
    hide();
    target.classList.add("on");
    const box = byId("detail"), place = target.getBoundingClientRect();
    box.replaceChildren(element("dl", {}, ...rows.flatMap(([name, text]) => [element("dt", {}, name), element("dd", {}, text)])));
    box.hidden = false;
    const room = document.documentElement.clientWidth, own = box.getBoundingClientRect();
    const left = Math.min(Math.max(place.left + place.width / 2 - own.width / 2, 6), room - own.width - 6);
    const above = place.top - own.height - 6 > 0 && place.height > own.height ? place.top + 4 : place.top - own.height - 6 > 0 ? place.top - own.height - 6 : place.bottom + 6;
    box.style.left = `${left + scrollX}px`;
    box.style.top = `${above + scrollY}px`;
    if (spoken) tell(rows.map(([name, text]) => `${name}: ${text}`).join(", "));
  }

  function point(root, targets) {
    for (const one of targets) {
      one.target.addEventListener("pointerenter", () => detail(one, { spoken: false }));
      one.target.addEventListener("pointerleave", hide);
    }
    let at = -1;
    root.onblur = () => { at = -1; hide(); };
    root.onkeydown = (event) => {
      const step = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 }[event.key];
      if (event.key === "Escape") { at = -1; hide(); return; }
      if (!step || !targets.length) return;
      event.preventDefault();
      at = at < 0 ? (step > 0 ? 0 : targets.length - 1) : Math.min(Math.max(at + step, 0), targets.length - 1);
      targets[at].target.scrollIntoView({ block: "nearest", inline: "nearest" });
      detail(targets[at], { spoken: true });
    };
  }

  document.addEventListener("keydown", (event) => { if (event.key === "Escape") hide(); });
  offer();
  addEventListener("hashchange", show);
  show();
  following();
})();
