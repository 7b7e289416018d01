// A page with the scripts of ours, in a document without a browser: nothing is laid out or drawn.
// `sent` gathers what is sent to R; `tell` is what R sends.
const fs = require("node:fs"), path = require("node:path");
const root = path.join(__dirname, "..", "..");
const { JSDOM } = require(path.join(root, ".build", "node", "node_modules", "jsdom"));

const frame = `
  <div id="said"></div><div id="busy"></div><div id="point" hidden></div>
  <dialog id="behind"><h2 tabindex="-1">Entries</h2></dialog><dialog id="hand"></dialog>
  <main><p id="sentence"></p><section id="ask" hidden></section><div id="strip"></div>
  <div id="panel-1"></div><button id="elsewhere">Elsewhere</button></main>`;

exports.openPage = function (body, hash) {
  const window = new JSDOM("<!doctype html><body>" + frame + "</body>", {
    runScripts: "outside-only", pretendToBeVisual: true, url: "http://localhost/#" + (hash || "")
  }).window;
  const { document } = window, sent = [], heard = {}, errors = [];
  window.addEventListener("error", (event) => errors.push(event.message));
  // What such a document lacks.
  window.HTMLDialogElement.prototype.showModal = function () { this.open = true; };
  window.HTMLDialogElement.prototype.close = function () {
    this.open = false;
    this.dispatchEvent(new window.Event("close"));
  };
  window.Element.prototype.scrollIntoView = function () {};
  document.elementFromPoint = (x, y) => document.at ? document.at(x, y) : null;
  window.Shiny = {
    setInputValue: (name, value) => sent.push({ name, value }),
    addCustomMessageHandler: (name, fun) => { heard[name] = fun; },
    shinyapp: { isConnected: () => true }
  };
  window.jQuery = () => ({ on: () => {} });
  ["explore/vendor/morphdom-umd.min.js", "report/page.js", "explore/acts.js", "explore/strip.js",
    "explore/choices.js", "explore/figure.js", "explore/pieces.js", "explore/begin.js"]
    .forEach((file) => window.eval(fs.readFileSync(path.join(root, "inst", file), "utf8")));
  document.dispatchEvent(new window.Event("DOMContentLoaded"));
  const page = {
    window, document, sent, errors,
    $: (id) => document.getElementById(id),
    tell: (name, message) => heard[name](message),
    show: (pieces) => heard.pieces({ pieces, behind: false }),
    acts: () => sent.filter((one) => one.name === "act").map((one) => JSON.parse(one.value)),
    fire: (el, type, more) => {
      const event = new window.MouseEvent(type, { bubbles: true, cancelable: true, ...more });
      el.dispatchEvent(event);
      // Handlers of pointers that are set as properties are unknown to such a document.
      if (el["on" + type] && !("on" + type in window.Element.prototype)) el["on" + type](event);
    },
    change: (el, type = "change") => el.dispatchEvent(new window.Event(type, { bubbles: true })),
    press: (el, key, more) => el.dispatchEvent(
      new window.KeyboardEvent("keydown", { key, bubbles: true, cancelable: true, ...more }))
  };
  if (body) page.show(body);
  return page;
};
