"use strict";
(() => {
  const ROWS = 100; // rows built at a time
  const PRINTED = 2000; // rows built for a printer
  const NAMES = { "·": "open", A: "accepted", R: "refused", M: "modified" };
  const $ = (id) => document.getElementById(id);
  document.documentElement.classList.add("js");

  // The changes, as strings: what is not in sight is not built.
  const files = [];
  const changes = [];
  for (const details of document.querySelectorAll("#all > details.file")) {
    const file = files.length;
    files.push({ name: details.querySelector("h3").textContent, folded: false });
    for (const part of details.querySelectorAll("noscript")) {
      for (const html of part.textContent.split(/\n(?=<article )/)) {
        if (!html.startsWith("<article ")) continue;
        const tag = html.slice(0, html.indexOf(">"));
        const of = (pattern) => (pattern.exec(tag) || [])[1];
        const was = of(/data-d="(.)"/);
        changes.push({ id: of(/id="c([\d.]+)"/), kind: of(/data-k="(\d+)"/), file, was, now: was, decided: false, remark: "", html });
      }
    }
  }
  $("all").remove();

  let shown = []; // numbers of the changes that are asked for
  let rows = []; // them, each file's after a heading: { file, count } or a number
  let rowOf = new Map();
  let page = 0;
  let here = -1;
  let saved = true;
  const done = [];
  const undone = [];
  const built = new Map(); // articles in sight

  const textOf = (change) => {
    if (change.text === undefined) {
      const own = change.html.replace(/<p class="row near">.*?<\/p>/gs, "");
      const code = own.match(/<code>.*?<\/code>/gs) || [];
      change.text = code.join("\n").replace(/<[^>]*>/g, "").replace(/&lt;/g, "<").replace(/&gt;/g, ">").replace(/&quot;/g, '"').replace(/&amp;/g, "&").replace(/·/g, " ").toLowerCase();
    }
    return change.text;
  };

  const filter = () => {
    const needle = $("find").value.toLowerCase();
    const decision = $("only-decision").value;
    const kinds = $("only-kind").value && new Set($("only-kind").value.split(" "));
    const file = $("only-file").value;
    shown = [];
    changes.forEach((change, number) => {
      if (decision && change.now !== decision) return;
      if (kinds && !kinds.has(change.kind)) return;
      if (file && String(change.file) !== file) return;
      if (needle && !textOf(change).includes(needle)) return;
      shown.push(number);
    });
    const counts = new Map();
    for (const number of shown) counts.set(changes[number].file, (counts.get(changes[number].file) || 0) + 1);
    rows = [];
    rowOf = new Map();
    let last = -1;
    for (const number of shown) {
      const of = changes[number].file;
      if (of !== last) rows.push({ file: of, count: counts.get(of) });
      last = of;
      if (files[of].folded) continue;
      rowOf.set(number, rows.length);
      rows.push(number);
    }
    $("found").textContent = shown.length === changes.length ? "all shown." : `${shown.length} of ${plural(changes.length)} shown.`;
  };

  const plural = (n) => (n === 1 ? "1 change" : `${n} changes`);

  const element = (name, properties, ...inside) => {
    const made = Object.assign(document.createElement(name), properties);
    made.append(...inside);
    return made;
  };

  const button = (text, does, properties) => element("button", { type: "button", textContent: text, onclick: does, ...properties });

  const heading = ({ file, count }) => {
    const fold = () => {
      files[file].folded = !files[file].folded;
      refresh();
    };
    const sign = files[file].folded ? "▸ " : "▾ ";
    const head = element("h3", {}, element("bdi", { textContent: files[file].name }));
    const row = element("div", { className: "file" }, button(sign, fold), " ", head, " ", element("small", { textContent: plural(count) }));
    row.firstChild.setAttribute("aria-expanded", String(!files[file].folded));
    row.firstChild.setAttribute("aria-label", `fold ${files[file].name}`);
    return row;
  };

  const article = (number) => {
    const change = changes[number];
    const template = document.createElement("template");
    template.innerHTML = change.html;
    const made = template.content.firstElementChild;
    made.tabIndex = -1;
    const remark = element("input", { value: change.remark, maxLength: 1000, placeholder: "Remark", hidden: !change.remark });
    remark.oninput = () => {
      change.remark = remark.value;
      saved = false;
    };
    const remarks = () => {
      remark.hidden = false;
      remark.focus();
    };
    // The button of the decision that there is takes it back.
    const turn = (sign) => decide([number], change.now === sign ? "·" : sign);
    const choose = element(
      "div",
      { className: "choose" },
      button("Accept", () => turn("A"), { className: "a" }),
      button("Refuse", () => turn("R"), { className: "r" }),
      button("Remark", remarks, { className: "plain" }),
      remark,
    );
    const which = `change ${made.id.slice(1)}, ${made.querySelector("header a").textContent}`;
    for (const one of choose.querySelectorAll("button")) one.setAttribute("aria-label", `${one.textContent} ${which}`);
    remark.setAttribute("aria-label", `Remark on ${which}`);
    const beside = [...made.querySelectorAll(":scope > header, :scope > .said, :scope > p.warn")];
    const margin = element("div", { className: "margin" }, ...beside);
    margin.insertBefore(choose, margin.children[1] || null);
    const text = element("div", { className: "text" }, ...made.childNodes);
    made.append(text, margin);
    made.onclick = () => {
      if (here !== number) go(number, false);
    };
    built.set(number, made);
    mark(number);
    return made;
  };

  // Shows the decision about a change in its article, where it is in sight.
  const mark = (number) => {
    const made = built.get(number);
    if (!made) return;
    const change = changes[number];
    const state = made.querySelector("header .d");
    state.dataset.d = change.now;
    state.textContent = NAMES[change.now];
    made.dataset.d = change.now;
    made.classList.toggle("here", number === here);
    const [accept, refuse] = made.querySelectorAll(".choose button");
    accept.setAttribute("aria-pressed", String(change.now === "A"));
    refuse.setAttribute("aria-pressed", String(change.now === "R"));
  };

  const build = (from, to) => {
    const list = $("list");
    list.replaceChildren();
    built.clear();
    const part = rows.slice(from, to);
    // A page that begins within a file names it too.
    if (typeof part[0] === "number") {
      const file = changes[part[0]].file;
      part.unshift({ file, count: shown.filter((number) => changes[number].file === file).length });
    }
    list.append(...part.map((row) => (typeof row === "number" ? article(row) : heading(row))));
    join(list);
    if (!rows.length) list.append(element("p", { className: "quiet", textContent: "No changes match the filters." }));
  };

  // Changes whose lines lie beside each other stand in one block, each line of context once.
  const join = (list) => {
    const line = (row) => Number(row.querySelector("i").textContent) || 0;
    let end = 0;
    let before = null;
    for (const made of list.children) {
      const rows = [...made.querySelectorAll(":scope .row")];
      const first = rows.find((row) => row.classList.contains("was"));
      if (made.tagName !== "ARTICLE" || !first) {
        [end, before] = [0, null];
        continue;
      }
      if (before) {
        const follows = [...before.querySelectorAll(".row.near")].filter((row) => line(row) >= line(first));
        for (const row of follows) row.remove();
        end = Math.max(...[...before.querySelectorAll(".row")].map(line), 0);
        for (const row of rows) if (row.classList.contains("near") && line(row) <= end) row.remove();
        const next = made.querySelector(".row");
        if (line(next) <= end + 1) {
          before.classList.add("more");
          made.classList.add("joined");
        }
      }
      before = made;
    }
  };

  const render = () => {
    const pages = Math.max(1, Math.ceil(rows.length / ROWS));
    page = Math.min(Math.max(page, 0), pages - 1);
    build(page * ROWS, (page + 1) * ROWS);
    $("pager").hidden = pages === 1;
    $("page").textContent = `page ${page + 1} of ${pages}`;
    $("back").disabled = page === 0;
    $("on").disabled = page === pages - 1;
  };

  const refresh = () => {
    filter();
    render();
  };

  // Makes a change the current one.
  const go = (number, scrolls = true) => {
    const row = rowOf.get(number);
    if (row === undefined) return;
    const was = here;
    here = number;
    if (Math.floor(row / ROWS) !== page) {
      page = Math.floor(row / ROWS);
      render();
    }
    mark(was);
    mark(number);
    strip();
    const made = built.get(number);
    if (scrolls) made.scrollIntoView({ block: "center" });
    if (!made.contains(document.activeElement)) made.focus({ preventScroll: true });
  };

  const place = () => shown.indexOf(here);

  // The next change that is asked for and fits, in either direction.
  const seek = (by, fits) => {
    let at = place();
    if (at < 0) at = by > 0 ? -1 : 0;
    for (at += by; at >= 0 && at < shown.length; at += by) {
      if (rowOf.has(shown[at]) && fits(changes[shown[at]])) return go(shown[at]);
    }
  };

  // The same beyond the last change, from the first one on.
  const seekAround = (fits) => {
    const before = here;
    seek(1, fits);
    if (here !== before) return;
    const first = shown.find((number) => rowOf.has(number) && fits(changes[number]));
    if (first !== undefined) go(first);
  };

  const tell = () => {
    const counts = { A: 0, M: 0, R: 0, "·": 0 };
    const kinds = new Map();
    for (const change of changes) {
      counts[change.now] += 1;
      if (!kinds.has(change.kind)) kinds.set(change.kind, { A: 0, M: 0, R: 0, "·": 0 });
      kinds.get(change.kind)[change.now] += 1;
    }
    const some = (signs) => signs.filter((sign) => counts[sign]).map((sign) => `${counts[sign]} ${NAMES[sign]}`);
    const left = some(["R", "·"]);
    const stay = left.length ? `; ${left.join(" and ")} ${counts.R + counts["·"] === 1 ? "stays as it is" : "stay as they are"}` : "";
    $("written").textContent = `${some(["A", "M"]).join(", ") || "Nothing is accepted"}${stay}.`;
    for (const row of document.querySelectorAll("[data-kinds]")) {
      const sum = { "·": 0, A: 0, R: 0, M: 0 };
      for (const kind of row.dataset.kinds.split(" ")) {
        for (const sign in sum) sum[sign] += (kinds.get(kind) || {})[sign] || 0;
      }
      const said = Object.keys(sum).filter((sign) => sum[sign]);
      row.querySelector(".decided").textContent = said.map((sign) => `${sum[sign]} ${NAMES[sign]}`).join(", ");
      // What is decided can be overruled.
      const many = sum["·"] || said.reduce((all, sign) => all + sum[sign], 0);
      for (const one of row.querySelectorAll(".act .a, .act .r")) one.textContent = one.textContent.replace(/\d+$/, many);
    }
    const open = counts["·"];
    $("progress").textContent = `${changes.length - open} of ${changes.length} decided`;
    $("bar").value = changes.length - open;
    $("next-open").disabled = !open;
    $("undo").disabled = !done.length;
    $("redo").disabled = !undone.length;
    $("tally").replaceChildren(...["A", "R", "M", "·"].filter((sign) => counts[sign]).map((sign) => {
      const made = element("span", { className: "d", textContent: `${counts[sign]} ${NAMES[sign]}` });
      made.dataset.d = sign;
      return made;
    }));
    $("save").disabled = !changes.some((change) => change.decided);
    strip();
  };

  // The current change, and those like it.
  const strip = () => {
    const change = changes[here];
    const like = change ? [...changes.keys()].filter((number) => number !== here && change.kind !== undefined && changes[number].kind === change.kind) : [];
    const open = like.filter((number) => changes[number].now === "·");
    $("current").textContent = change ? `Change ${change.id}` : "↓ goes to the first change, a click to any.";
    $("alike").textContent = like.length ? `${open.length === like.length ? "" : `${open.length} of `}${like.length} more like it:` : "";
    const text = (name) => {
      const found = change && new RegExp(`<${name}\\b.*?</${name}>`, "s").exec(change.html);
      const template = document.createElement("template");
      template.innerHTML = found ? found[0] : "";
      return template.content;
    };
    $("pair").replaceChildren(text("del"), change ? element("span", { className: "to", textContent: "→" }) : "", text("ins"));
    const act = (word, sign, className) => button(`${word} ${open.length}`, () => decideOpen(open, sign), { className, disabled: !open.length });
    $("alike-act").replaceChildren(...(like.length ? [act("Accept", "A", "a"), " ", act("Refuse", "R", "r"), " ", button("Only these", () => onlyKinds(change.kind), { className: "plain" })] : []));
  };

  const set = (turn, to) => {
    $("overrule").replaceChildren();
    $("saved").textContent = "";
    for (const one of turn) {
      Object.assign(changes[one.number], one[to]);
      mark(one.number);
    }
    saved = false;
    tell();
  };

  const decide = (numbers, now) => {
    const turn = numbers.map((number) => ({ number, before: { now: changes[number].now, decided: changes[number].decided }, after: { now, decided: true } }));
    if (!turn.length) return;
    done.push(turn);
    undone.length = 0;
    set(turn, "after");
  };

  // Decides about those that are open. Where others are decided otherwise, a second button overrules.
  const decideOpen = (numbers, now) => {
    const open = numbers.filter((number) => changes[number].now === "·");
    const others = numbers.filter((number) => !["·", now].includes(changes[number].now));
    decide(open, now);
    const stay = ["A", "R", "M"].map((sign) => [others.filter((number) => changes[number].now === sign).length, sign]);
    const words = stay.filter(([n]) => n).map(([n, sign]) => `${n} ${n === 1 ? "stays" : "stay"} ${NAMES[sign]}`);
    const done = open.length || !others.length ? `${open.length} ${NAMES[now]}` : "nothing is open here";
    $("overrule").replaceChildren([done, ...words].join("; "));
    if (!others.length) return;
    const overrule = () => {
      decide(others, now);
      $("overrule").textContent = `${others.length} ${NAMES[now]} after all`;
    };
    $("overrule").append(" ", button(`${now === "A" ? "Accept" : "Refuse"} ${others.length === 1 ? "it" : `these ${others.length}`} too`, overrule));
  };

  const undo = (from, to, state) => {
    const turn = from.pop();
    if (!turn) return;
    to.push(turn);
    set(turn, state);
    go(turn[0].number);
  };

  const decideHere = (now) => {
    if (here < 0) return;
    decide([here], now);
    if (now !== "·") seek(1, (change) => change.now === "·");
  };

  // Only changes of these kinds, or all again.
  const onlyKinds = (kinds) => {
    const select = $("only-kind");
    if (kinds === undefined || select.value === kinds) select.value = "";
    else {
      if (![...select.options].some((option) => option.value === kinds)) {
        const row = document.querySelector(`[data-kinds="${kinds}"]`);
        const [was, now] = ["del", "ins"].map((name) => row && row.querySelector(name).textContent);
        select.append(element("option", { value: kinds, textContent: row ? `${was} → ${now}` : `kind ${Number(kinds.split(" ")[0]) + 1}` }));
      }
      select.value = kinds;
    }
    page = 0;
    refresh();
    if (here >= 0) go(here);
  };

  const askToSave = () => {
    const open = changes.filter((change) => change.now === "·").length;
    $("stays").textContent = open ? `${plural(open)} still open: ${open === 1 ? "it stays as it is" : "they stay as they are"}. You can go on later: open the saved file here again.` : "All changes are decided.";
    $("saving").showModal();
  };

  const save = () => {
    $("saving").close();
    const by = $("by").value.trim();
    const lines = changes.filter((change) => change.decided).map((change) => {
      const record = { record: "decision", id: change.id, decision: NAMES[change.now], plan: $("tools").dataset.plan };
      if (by) record.by = by;
      if (change.remark.trim()) record.remark = change.remark.trim();
      return JSON.stringify(record) + "\n";
    });
    const address = URL.createObjectURL(new Blob(lines, { type: "application/x-ndjson" }));
    const name = by.replace(/[^\p{L}\p{N}]+/gu, "-").toLowerCase();
    const file = name ? `decisions-${name}.jsonl` : "decisions.jsonl";
    element("a", { href: address, download: file }).click();
    setTimeout(() => URL.revokeObjectURL(address), 60000);
    saved = true;
    tell();
    $("saved").textContent = `Saved ${lines.length === 1 ? "1 decision" : `${lines.length} decisions`} as ${file}. Now send this file back to the sender of the page.`;
  };

  // Takes in decisions that were saved here before.
  const load = async () => {
    const file = $("file").files[0];
    if (!file) return;
    $("file").value = "";
    const numbers = new Map(changes.map((change, number) => [change.id, number]));
    const signs = Object.fromEntries(Object.entries(NAMES).map(([sign, name]) => [name, sign]));
    let records;
    try {
      records = (await file.text()).split("\n").filter((line) => line.trim()).map((line) => JSON.parse(line));
    } catch {
      records = [];
    }
    const isOurs = (record) => record.plan === $("tools").dataset.plan && numbers.has(record.id) && record.decision in signs;
    if (!records.length || !records.every(isOurs)) {
      $("saved").textContent = `${file.name} holds no decisions about this page; nothing is taken in.`;
      return;
    }
    const turn = [];
    for (const record of records) {
      const number = numbers.get(record.id);
      const now = signs[record.decision];
      // A text of one's own is no decision that can be made here.
      if (now === "M") continue;
      turn.push({ number, before: { now: changes[number].now, decided: changes[number].decided }, after: { now, decided: true } });
      if (record.remark) changes[number].remark = String(record.remark).slice(0, 1000);
      if (record.by) $("by").value = String(record.by).slice(0, 100);
    }
    if (turn.length) done.push(turn);
    undone.length = 0;
    set(turn, "after");
    saved = true;
    refresh();
    $("saved").textContent = `${turn.length === 1 ? "1 decision" : `${turn.length} decisions`} of ${file.name} taken in.`;
  };

  const show = (sign) => decideOpen(shown, sign);

  const KEYS = {
    a: () => decideHere("A"),
    r: () => decideHere("R"),
    o: () => decideHere("·"),
    u: () => undo(done, undone, "before"),
    U: () => undo(undone, done, "after"),
    j: () => seek(1, () => true),
    k: () => seek(-1, () => true),
    f: () => seek(1, (change) => change.file !== (changes[here] || {}).file),
    F: () => seek(-1, (change) => change.file !== (changes[here] || {}).file),
    s: () => here >= 0 && seek(1, (change) => change.kind === changes[here].kind),
    S: () => here >= 0 && seek(-1, (change) => change.kind === changes[here].kind),
    x: () => here >= 0 && onlyKinds(changes[here].kind),
    v: () => {
      $("only-decision").value = $("only-decision").value ? "" : "·";
      refresh();
    },
    t: () => {
      $("kinds").scrollIntoView({ block: "center" });
      $("kinds").querySelector("button")?.focus({ preventScroll: true });
    },
    "/": () => $("find").focus(),
    "?": () => $("keys").showModal(),
  };
  KEYS.ArrowDown = KEYS.j;
  KEYS.ArrowUp = KEYS.k;

  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.altKey || event.metaKey || $("keys").open || $("saving").open || !$("keys-on").checked) return;
    if (/^(INPUT|SELECT|TEXTAREA)$/.test(event.target.tagName)) {
      if (event.key === "Escape") event.target.blur();
      return;
    }
    const does = KEYS[event.key];
    if (!does) return;
    event.preventDefault();
    does();
  });

  for (const row of document.querySelectorAll("[data-kinds]")) {
    const kinds = new Set(row.dataset.kinds.split(" "));
    const members = () => [...changes.keys()].filter((number) => kinds.has(changes[number].kind));
    const what = [...row.querySelectorAll("del, ins")].map((one) => one.textContent).join(" → ");
    const named = (made, does) => {
      made.setAttribute("aria-label", `${does} all of the kind ${what}`);
      return made;
    };
    row.querySelector(".act").append(
      named(button("Accept 0", () => decideOpen(members(), "A"), { className: "a" }), "Accept"),
      named(button("Refuse 0", () => decideOpen(members(), "R"), { className: "r" }), "Refuse"),
      named(button("Show", () => onlyKinds(row.dataset.kinds), { className: "plain" }), "Show"),
    );
  }
  if ($("all-kinds")) {
    $("all-kinds").onclick = () => {
      const all = $("kinds").classList.toggle("all");
      $("all-kinds").textContent = all ? "Show fewer" : `Show all ${$("kinds").children.length}`;
      $("all-kinds").setAttribute("aria-expanded", String(all));
    };
  }
  for (const [number, file] of files.slice(0, 2000).entries()) $("only-file").append(element("option", { value: number, textContent: file.name }));
  let typing;
  $("find").oninput = () => {
    clearTimeout(typing);
    typing = setTimeout(() => {
      page = 0;
      refresh();
    }, 150);
  };
  for (const id of ["only-decision", "only-kind", "only-file"]) {
    $(id).onchange = () => {
      page = 0;
      refresh();
    };
  }
  const turnTo = (by) => {
    page += by;
    render();
    $("changes").scrollIntoView();
  };
  $("back").onclick = () => turnTo(-1);
  $("on").onclick = () => turnTo(1);
  $("next-open").onclick = () => seekAround((change) => change.now === "·");
  $("undo").onclick = KEYS.u;
  $("redo").onclick = KEYS.U;
  $("accept-all").onclick = () => show("A");
  $("refuse-all").onclick = () => show("R");
  $("show-keys").onclick = KEYS["?"];
  $("save").onclick = askToSave;
  $("save-now").onclick = save;
  $("not-now").onclick = () => $("saving").close();
  $("load").onclick = () => $("file").click();
  $("file").onchange = load;
  addEventListener("beforeprint", () => build(0, PRINTED));
  addEventListener("afterprint", render);
  addEventListener("beforeunload", (event) => {
    if (!saved) event.preventDefault();
  });

  const sentence = $("written").textContent;
  refresh();
  tell();
  // Until something is decided here, what the plan said holds.
  $("written").textContent = sentence;
})();
