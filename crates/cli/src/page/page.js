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
    const kind = $("only-kind").value;
    const file = $("only-file").value;
    shown = [];
    changes.forEach((change, number) => {
      if (decision && change.now !== decision) return;
      if (kind && change.kind !== kind) return;
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
    $("found").textContent = shown.length === changes.length ? plural(shown.length) : `${shown.length} of ${plural(changes.length)}`;
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
    const remark = element("input", { value: change.remark, maxLength: 1000, placeholder: "Remark" });
    remark.oninput = () => {
      change.remark = remark.value;
      saved = false;
    };
    const choose = element(
      "div",
      { className: "choose" },
      button("Accept", () => decide([number], "A"), { className: "a" }),
      button("Refuse", () => decide([number], "R"), { className: "r" }),
      button("Leave open", () => decide([number], "·")),
      remark,
      button("Only this kind", () => onlyKind(change.kind)),
    );
    const which = `change ${made.id.slice(1)}, ${made.querySelector("header a").textContent}`;
    for (const one of choose.querySelectorAll("button")) one.setAttribute("aria-label", `${one.textContent}: ${which}`);
    remark.setAttribute("aria-label", `Remark on ${which}`);
    made.append(choose);
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
    state.textContent = `${change.now} ${NAMES[change.now]}`;
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
    if (!rows.length) list.append(element("p", { className: "quiet", textContent: "No changes match the filters." }));
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
    for (const row of document.querySelectorAll("tr[data-kinds]")) {
      const sum = { "·": 0, A: 0, R: 0, M: 0 };
      for (const kind of row.dataset.kinds.split(" ")) {
        for (const sign in sum) sum[sign] += (kinds.get(kind) || {})[sign] || 0;
      }
      const cell = row.querySelector(".decided");
      cell.replaceChildren();
      for (const sign in sum) {
        if (!sum[sign]) continue;
        const made = element("span", { className: "d", title: NAMES[sign], textContent: `${sign} ${sum[sign]}` });
        made.dataset.d = sign;
        cell.append(made, " ");
      }
    }
    const open = counts["·"];
    $("progress").textContent = `${changes.length - open} of ${changes.length} decided`;
    $("bar").value = changes.length - open;
    $("next-open").disabled = !open;
    $("undo").disabled = !done.length;
    $("redo").disabled = !undone.length;
    const many = changes.filter((change) => change.decided).length;
    $("saved").textContent = many ? `${many} decided here${saved ? ", saved" : ", not saved"}` : "";
    $("save").disabled = !many;
  };

  const set = (turn, to) => {
    $("overrule").replaceChildren();
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

  const onlyKind = (kind) => {
    const select = $("only-kind");
    if (kind === undefined || select.value === kind) select.value = "";
    else {
      if (![...select.options].some((option) => option.value === kind)) select.append(element("option", { value: kind, textContent: `kind ${Number(kind) + 1}` }));
      select.value = kind;
    }
    refresh();
    if (here >= 0) go(here);
  };

  const save = () => {
    const by = $("by").value.trim();
    const lines = changes.filter((change) => change.decided).map((change) => {
      const record = { record: "decision", id: change.id, decision: NAMES[change.now], plan: $("tools").dataset.plan };
      if (by) record.by = by;
      if (change.remark.trim()) record.remark = change.remark.trim();
      return JSON.stringify(record) + "\n";
    });
    const address = URL.createObjectURL(new Blob(lines, { type: "application/x-ndjson" }));
    const name = by.replace(/[^\p{L}\p{N}]+/gu, "-").toLowerCase();
    element("a", { href: address, download: name ? `decisions-${name}.jsonl` : "decisions.jsonl" }).click();
    setTimeout(() => URL.revokeObjectURL(address), 60000);
    saved = true;
    tell();
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
    x: () => here >= 0 && onlyKind(changes[here].kind),
    v: () => {
      $("only-decision").value = $("only-decision").value ? "" : "·";
      refresh();
    },
    t: () => {
      $("kinds").open = true;
      $("kinds").querySelector("summary").focus();
      $("kinds").scrollIntoView();
    },
    "/": () => $("find").focus(),
    "?": () => $("keys").showModal(),
  };
  KEYS.ArrowDown = KEYS.j;
  KEYS.ArrowUp = KEYS.k;

  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.altKey || event.metaKey || $("keys").open || !$("keys-on").checked) return;
    if (/^(INPUT|SELECT|TEXTAREA)$/.test(event.target.tagName)) {
      if (event.key === "Escape") event.target.blur();
      return;
    }
    const does = KEYS[event.key];
    if (!does) return;
    event.preventDefault();
    does();
  });

  for (const row of document.querySelectorAll("tr[data-kinds]")) {
    const kinds = new Set(row.dataset.kinds.split(" "));
    const members = () => [...changes.keys()].filter((number) => kinds.has(changes[number].kind));
    const cell = row.querySelector(".act");
    const all = members().length;
    const what = row.textContent.trim().replace(/\s+/g, " ");
    const named = (made, does) => {
      made.setAttribute("aria-label", `${does} ${plural(all)}: ${what}`);
      return made;
    };
    cell.append(
      named(button(`Accept ${all}`, () => decideOpen(members(), "A"), { className: "a" }), "Accept"),
      named(button(`Refuse ${all}`, () => decideOpen(members(), "R"), { className: "r" }), "Refuse"),
    );
    if (kinds.size === 1) cell.append(named(button("Show", () => onlyKind([...kinds][0])), "Show"));
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
  $("save").onclick = save;
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
