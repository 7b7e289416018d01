// The page's scripts without a browser: what is sent, what stays when pieces come anew.
const test = require("node:test"), assert = require("node:assert/strict");
const { openPage } = require("./opened-page.cjs");

const later = (wait) => new Promise((done) => setTimeout(done, wait));

test("a button sends its act, with the fields that it is the button of", () => {
  const page = openPage({ "panel-1": `
    <div data-group="pair"><input data-part="value" value="fare"><select data-part="with">
      <option>passengers</option></select>
      <input type="checkbox" data-part="whole" checked data-yes="all">
      <button data-do="ratio" data-from="pair" data-step="2">go</button></div>
    <button data-do="never" disabled>no</button>` });
  page.document.querySelector("[data-do=never]").click();
  page.document.querySelector("[data-do=ratio]").click();
  assert.deepEqual(page.acts(),
    [{ do: "ratio", step: "2", value: "fare", with: "passengers", whole: "all" }]);
});

test("Enter in a group of fields is its button, and elsewhere nothing", () => {
  const page = openPage({ "panel-1": `
    <div data-group="days"><input id="from" data-part="begin" value="1 Jul 2025">
    <button data-do="days" data-from="days">go</button></div><input id="alone">` });
  page.press(page.$("alone"), "Enter");
  assert.deepEqual(page.acts(), []);
  page.press(page.$("from"), "Enter");
  assert.deepEqual(page.acts(), [{ do: "days", begin: "1 Jul 2025" }]);
});

test("a tick, a choice and an empty choice send what they mean", () => {
  const page = openPage({ "panel-1": `
    <input type="checkbox" id="tick" data-do="field" data-field="totals">
    <select id="one" data-do="field" data-field="per"><option>month</option></select>
    <select id="part" data-do="join" data-part="column"><option value="">pick</option></select>` });
  page.$("tick").checked = true;
  page.change(page.$("tick"));
  page.change(page.$("one"));
  page.change(page.$("part"));
  assert.deepEqual(page.acts(), [{ do: "field", value: "yes", field: "totals" },
    { do: "field", value: "month", field: "per" }]);
});

test("of a burst of a slider's moves the first and the last are asked", () => {
  const page = openPage({ "panel-1": `<output id="n-now">5</output>
    <input type="range" id="n" min="1" max="21" value="5" data-do="field" data-field="keep"
      data-live="yes" data-last="all">` });
  [6, 7, 8, 12, 21].forEach((value) => {
    page.$("n").value = String(value);
    page.change(page.$("n"), "input");
  });
  assert.deepEqual(page.acts().map((act) => act.value), ["6"]);
  assert.equal(page.$("n-now").textContent, "all");
  page.tell("done", { act: "field" });
  // At its end the slider says all, which is sent as nothing.
  assert.deepEqual(page.acts().map((act) => act.value), ["6", ""]);
  page.tell("done", { act: "field" });
  assert.equal(page.acts().length, 2);
});

test("a search is sent when typing pauses, what is checked while it is typed", async () => {
  const page = openPage({ "panel-1": `<input type="search" id="find" data-do="find">
    <input id="span" data-check="span" data-do="span"><p id="span-says"></p>` });
  ["t", "te", "ter"].forEach((text) => {
    page.$("find").value = text;
    page.change(page.$("find"), "input");
  });
  page.$("span").value = "latest 3 mont";
  page.change(page.$("span"), "input");
  await later(400);
  assert.deepEqual(page.acts(), [{ do: "find", value: "ter" }]);
  const typed = page.sent.filter((one) => one.name === "typed").map((one) => JSON.parse(one.value));
  assert.deepEqual(typed, [{ id: "span", kind: "span", text: "latest 3 mont" }]);
  page.tell("typed", { id: "span", says: "What is \"mont\"?", ok: false });
  assert.equal(page.$("span").getAttribute("aria-invalid"), "true");
  assert.ok(page.$("span-says").classList.contains("mind"));
});

test("what is typed half survives a redraw, and gives way where R says another value", () => {
  const field = (value) => ({ "panel-1": `<input id="own" value="${value}"><p>${value}</p>` });
  const page = openPage(field("fare"));
  page.$("own").value = "fare per pas";
  page.$("own").setAttribute("aria-invalid", "true");
  page.show({ "panel-1": `<input id="own" value="fare"><p>more</p>` });
  assert.equal(page.$("own").value, "fare per pas");
  assert.equal(page.$("own").getAttribute("aria-invalid"), "true");
  page.show(field("entries"));
  assert.equal(page.$("own").value, "entries");
});

test("what is folded or open stays so, and the same element keeps the focus", () => {
  const html = (more) => ({ "panel-1": `<details id="d"><summary>More</summary>${more}</details>
    <div data-folds><button id="b" data-unfold="w" aria-expanded="false">way</button>
    <div id="w" data-fold hidden>columns</div></div>` });
  const page = openPage(html("one"));
  page.$("d").open = true;
  page.$("b").click();
  assert.equal(page.$("w").hidden, false);
  page.$("b").focus();
  const before = page.$("b");
  page.show(html("two"));
  assert.equal(page.$("d").open, true);
  assert.equal(page.$("w").hidden, false);
  assert.equal(page.$("b").getAttribute("aria-expanded"), "true");
  assert.equal(page.$("b"), before);
  assert.equal(page.document.activeElement, before);
});

const asked = {
  sentence: `<button data-open="grain" aria-expanded="false">month</button>
    <button data-open="by" aria-expanded="false">route</button>`,
  ask: `<section class="choice" id="choose-grain" hidden>
      <button data-do="grain" data-value="week" data-becomes="week">week</button>
      <button data-do="grain" data-value="month" aria-pressed="true">month</button></section>
    <section class="choice" id="choose-by" hidden><input id="route"></section>`
};
const open = (page) => Array.from(page.document.querySelectorAll(".choice"))
  .filter((one) => !one.hidden).map((one) => one.id);

test("one part's choices are open at a time; Escape and a click elsewhere close them", () => {
  const page = openPage(asked), [grain, by] = page.document.querySelectorAll("[data-open]");
  assert.deepEqual(open(page), []);
  grain.click();
  assert.deepEqual(open(page), ["choose-grain"]);
  // What is chosen has the focus.
  assert.equal(page.document.activeElement.dataset.value, "month");
  by.click();
  assert.deepEqual(open(page), ["choose-by"]);
  assert.equal(grain.getAttribute("aria-expanded"), "false");
  page.press(page.$("route"), "Escape");
  assert.deepEqual(open(page), []);
  assert.equal(page.document.activeElement, by);
  by.click();
  page.$("elsewhere").click();
  assert.deepEqual(open(page), []);
  by.click();
  by.click();
  assert.deepEqual(open(page), []);
  assert.deepEqual(page.acts(), []);
});

test("open choices stay open over a redraw, and close where their part is gone", () => {
  const page = openPage(asked);
  page.document.querySelector("[data-open=by]").click();
  page.show({ ask: asked.ask.replace("week", "quarter") });
  assert.deepEqual(open(page), ["choose-by"]);
  page.show({ ask: `<section class="choice" id="choose-grain" hidden></section>` });
  assert.deepEqual(open(page), []);
  assert.equal(page.$("ask").hidden, true);
});

test("a part says what it becomes while a choice is pointed at", () => {
  const page = openPage(asked), grain = page.document.querySelector("[data-open=grain]");
  grain.click();
  const week = page.document.querySelector("[data-value=week]");
  page.fire(week, "pointerover");
  assert.equal(grain.textContent, "week");
  page.fire(page.$("elsewhere"), "pointerover");
  assert.equal(grain.textContent, "month");
  page.fire(week, "pointerover");
  page.press(week, "Escape");
  assert.equal(grain.textContent, "month");
});

test("edges of bands are pressed and dragged, and gathered for the button", () => {
  const page = openPage({ "panel-1": `<div data-group="bands"><input data-part="edges" value="">
    ${[10, 20, 30, 40].map((at) =>
      `<button class="edge" aria-pressed="false" data-edge="${at}"></button>`).join("")}
    </div>` });
  const edges = page.document.querySelectorAll(".edge");
  const value = () => page.document.querySelector("[data-part=edges]").value;
  edges[2].click();
  edges[0].click();
  assert.equal(value(), "10,30");
  page.fire(edges[2], "pointerdown");
  page.document.at = () => edges[3];
  page.fire(page.document.body, "pointermove");
  assert.equal(value(), "10,40");
  // Not onto another, and not when it is let go.
  page.document.at = () => edges[0];
  page.fire(page.document.body, "pointermove");
  page.fire(page.document.body, "pointerup");
  page.document.at = () => edges[1];
  page.fire(page.document.body, "pointermove");
  assert.equal(value(), "10,40");
});

const bars = { strip: `<div id="bars">${[1, 2, 3, 4, 5].map((n) =>
  `<div class="bar" id="bar-${n}" aria-label="month ${n}"></div>`).join("")}</div>
  <p id="bar-says">months</p>` };

test("a run of periods by keys: arrows move, Shift widens, Enter takes", () => {
  const page = openPage(bars), box = page.$("bars");
  page.press(box, "Home");
  page.press(box, "ArrowRight");
  page.press(box, "ArrowRight", { shiftKey: true });
  page.press(box, "ArrowRight", { shiftKey: true });
  assert.equal(page.$("bar-says").textContent, "month 2 \u2026 month 4");
  page.press(box, "Enter");
  page.press(box, "End");
  page.press(box, "ArrowRight");
  page.press(box, " ");
  assert.deepEqual(page.acts(),
    [{ do: "run", from: "2", to: "4" }, { do: "run", from: "5", to: "5" }]);
});

test("a run of periods by the pointer, in either direction", () => {
  const page = openPage(bars), box = page.$("bars");
  const at = (n) => { page.document.at = () => page.$("bar-" + n); };
  at(4);
  page.fire(box, "pointerdown", { button: 0 });
  at(2);
  page.fire(box, "pointermove");
  page.fire(box, "pointerup");
  page.fire(box, "pointerup");
  // Shift goes on from where the last began.
  at(5);
  page.fire(box, "pointerdown", { button: 0, shiftKey: true });
  page.fire(box, "pointerup");
  // Another button is none of it.
  page.fire(box, "pointerdown", { button: 2 });
  page.fire(box, "pointerup");
  assert.deepEqual(page.acts(),
    [{ do: "run", from: "2", to: "4" }, { do: "run", from: "4", to: "5" }]);
});

const picture = { panel: 1, alt: "Fare by month.", width: 100, height: 50, picture: "data:,", days: false,
  marks: [[0.2, 0.6, 0, 0, 1, "fare", "Jan: 10"], [0.2, 0.3, 0, 0, 4, "fare", "Jan, b: 20"],
    [0.5, 0.5, 0, 0, 2, "fare", "Feb: 12"], [0.8, 0.2, 0, 0, 3, "fare", "Mar: <b>19</b>"]] };
const drawn = () => {
  const page = openPage({ "panel-1": `<div class="figure" id="figure-1"></div>` });
  page.tell("figure", picture);
  page.frame = page.document.querySelector(".picture");
  return page;
};

test("a figure's marks by keys: beside is the nearest of the next place, Enter follows", () => {
  const page = drawn(), says = () => page.frame.dataset.says;
  page.press(page.frame, "Home");
  assert.equal(says(), "Jan: 10");
  page.press(page.frame, "ArrowDown");
  assert.equal(says(), "Jan, b: 20");
  page.press(page.frame, "ArrowRight");
  assert.equal(says(), "Feb: 12");
  page.press(page.frame, "ArrowLeft");
  assert.equal(says(), "Jan: 10");
  page.press(page.frame, "End");
  page.press(page.frame, "ArrowRight");
  // Text of members is text.
  assert.equal(page.$("point").textContent, "Mar: <b>19</b>");
  assert.equal(page.$("point").querySelector("b"), null);
  page.press(page.frame, "Enter");
  page.press(page.frame, "Escape");
  page.press(page.frame, "Enter");
  assert.deepEqual(page.acts(), [{ do: "behind", panel: "1", row: "3", figure: "fare" }]);
});

test("a picture stays until the next is drawn; a problem takes its place", () => {
  const page = drawn();
  page.show({ "panel-1": `<div class="figure" id="figure-1"></div><p>new</p>` });
  assert.ok(page.$("figure-1").classList.contains("stale"));
  assert.ok(page.$("figure-1").querySelector("img"));
  page.tell("figure", picture);
  assert.ok(!page.$("figure-1").classList.contains("stale"));
  page.tell("figure", { panel: 1, problem: "<p>none</p>" });
  assert.equal(page.$("figure-1").textContent, "none");
  page.show({ "panel-1": `<div class="table" id="t"><table><tbody></tbody></table></div>` });
  assert.equal(page.document.querySelector("img"), null);
});

const table = (rows) => `<div class="table" aria-label="Fare"><table>
  <thead><tr><th>route</th><th class="number">fare</th></tr></thead><tbody>${rows.map((row) =>
  `<tr${row[2] ? ` class="total"` : ""}><td>${row[0]}</td><td><button class="cell" data-do="behind"
    data-row="${row[0]}">${row[1]}</button></td></tr>`).join("")}</tbody></table></div>`;
const read = (page, at = 0) => Array.from(page.document.querySelectorAll("tbody tr"))
  .filter((row) => !row.hidden).map((row) => row.cells[at].textContent.replace("\u2212", ""));

test("tables are sorted by number, below their own total, and put back", () => {
  const page = openPage({ "panel-1": table([["a", "9.00"], ["b", "1,000.00"], ["c", "-20.00"],
    ["all", "989.00", true], ["d", "5.00"], ["e", "7.00"], ["all too", "12.00", true]]) });
  const fare = page.document.querySelector("[aria-label=\"Sort by fare\"]");
  fare.click();
  assert.deepEqual(read(page), ["b", "a", "c", "all", "e", "d", "all too"]);
  fare.click();
  assert.deepEqual(read(page), ["c", "a", "b", "all", "d", "e", "all too"]);
  fare.click();
  assert.deepEqual(read(page), ["a", "b", "c", "all", "d", "e", "all too"]);
});

test("a table that comes as it was sent is left alone, sorted and narrowed as it is", () => {
  const rows = "abcdefgh".split("").map((name, at) => [name, String(at) + ".00"]);
  const page = openPage({ "panel-1": table(rows) });
  page.document.querySelector("[aria-label=\"Sort by fare\"]").click();
  const before = page.document.querySelector("div.table");
  page.show({ "panel-1": table(rows) });
  assert.equal(page.document.querySelector("div.table"), before);
  assert.equal(read(page)[0], "h");
  before.querySelector("[data-row=c]").focus();
  rows[2][1] = "99.00";
  page.show({ "panel-1": table(rows) });
  assert.notEqual(page.document.querySelector("div.table"), before);
  assert.equal(page.document.activeElement.textContent, "99.00");
  assert.deepEqual(read(page), "abcdefgh".split(""));
});

test("rows are narrowed by what is typed, and told in number", () => {
  const page = openPage({ "panel-1": table("abcdefghi".split("").map((name) =>
    ["Tern " + name, "1.00"])) });
  const input = page.document.querySelector(".filter input");
  input.value = "tern C";
  page.change(input, "input");
  assert.deepEqual(read(page), ["Tern c"]);
  assert.equal(page.document.querySelector(".filter span").textContent, "1 of 9 rows");
});

test("arrow keys go from cell to cell and stop at the edges", () => {
  const page = openPage({ "panel-1": table([["a", "1"], ["b", "2"]]) });
  const [one, two] = page.document.querySelectorAll("button.cell");
  one.focus();
  page.press(one, "ArrowDown");
  assert.equal(page.document.activeElement, two);
  page.press(two, "ArrowDown");
  assert.equal(page.document.activeElement, two);
  page.press(two, "ArrowUp");
  assert.equal(page.document.activeElement, one);
  assert.deepEqual([one.tabIndex, two.tabIndex], [0, -1]);
});

test("what is said is text, can be closed, and can be reached over an open sheet", () => {
  const page = openPage();
  page.tell("sheet", { id: "hand", html: "<h2 tabindex=-1>Hand over</h2>", open: true });
  page.tell("say", { texts: ["<i>no column</i> of this name"], kind: "mind" });
  page.tell("working", { on: true, says: "Reading" });
  assert.equal(page.$("said").querySelector("i"), null);
  assert.equal(page.$("said").parentNode, page.$("hand"));
  page.$("busy").querySelector("button").click();
  assert.deepEqual(page.acts(), [{ do: "stop" }]);
  page.$("hand").close();
  assert.equal(page.$("said").parentNode, page.document.body);
  page.tell("working", { on: false });
  assert.equal(page.$("busy").textContent, "");
});

test("the address is asked as it is, also where it cannot be read", () => {
  const asked = (hash) => openPage(null, hash).sent.filter((one) => one.name === "address")[0].value;
  assert.equal(asked("%7B%22a%22%3A1%7D"), "{\"a\":1}");
  assert.equal(asked("%E0%A4%A"), "[");
});

test("the address that R tells is one that reads back", () => {
  const page = openPage(), text = "{\"where\":\"route == 'Ä & #1'\"}";
  page.tell("address", { text, push: false });
  assert.equal(decodeURIComponent(page.window.location.hash.slice(1)), text);
});

test("Escape in the entries goes back by an act, and does not close by itself", () => {
  const page = openPage();
  page.tell("pieces", { pieces: {}, behind: true });
  assert.equal(page.$("behind").open, true);
  const cancel = new page.window.Event("cancel", { cancelable: true });
  page.$("behind").dispatchEvent(cancel);
  assert.ok(cancel.defaultPrevented);
  assert.deepEqual(page.acts(), [{ do: "back" }]);
  page.tell("pieces", { pieces: {}, behind: false });
  assert.equal(page.$("behind").open, false);
});
