// Acts: elements carry the act they stand for in data- attributes; acts are sent, pieces of HTML,
// figures and addresses come back. Nothing is worked out here.
window.ledgerPage = window.ledgerPage || {};
(function (page) {
  "use strict";
  page.$ = function (id) { return document.getElementById(id); };
  var $ = page.$;
  var keys = ["do", "value", "field", "step", "column", "only", "missing", "panel", "row", "figure",
    "span", "ready", "code", "name", "table", "key",
    "begin", "end", "where"];
  var underWay = false, waiting = null;
  var count = function (name) {
    document.body.dataset[name] = String(Number(document.body.dataset[name] || 0) + 1);
  };
  page.count = count;
  page.send = function (act) {
    if (!window.Shiny || !Shiny.setInputValue) return;
    underWay = true;
    count("acts");
    Shiny.setInputValue("act", JSON.stringify(act), { priority: "event" });
  };
  page.answered = function (done) {
    document.body.dataset.did = done || "";
    if (done === "sentence" && page.typing) page.typing(false);
    underWay = false;
    count("done");
    if (waiting) { var act = waiting; waiting = null; page.send(act); }
  };
  // Of a slider that is moved only the place where it is now matters.
  var sendLive = function (act) {
    if (underWay) { waiting = act; return; }
    page.send(act);
  };
  page.actOf = function (dataset) {
    var act = {};
    keys.forEach(function (key) { if (dataset[key] !== undefined) act[key] = dataset[key]; });
    return act;
  };
  page.valueOf = function (el) {
    if (el.type === "checkbox") {
      if (el.dataset.yes) return el.checked ? el.dataset.yes : "";
      return el.checked ? "yes" : "no";
    }
    if (el.type === "range" && el.dataset.last && el.value === el.max) return "";
    return el.value;
  };
  var gather = function (name, act) {
    document.querySelectorAll('[data-group="' + name + '"] [data-part]').forEach(function (el) {
      act[el.dataset.part] = page.valueOf(el);
    });
    return act;
  };
  var changed = function (el) {
    var act = page.actOf(el.dataset);
    if (el.dataset.member !== undefined) act.value = el.dataset.member;
    else if (el.dataset.missing === undefined) act[el.dataset.part || "value"] = page.valueOf(el);
    return el.dataset.from ? gather(el.dataset.from, act) : act;
  };
  document.addEventListener("click", function (event) {
    var close = event.target.closest("[data-close]");
    if (close) { $(close.dataset.close).close(); return; }
    var el = event.target.closest("button[data-do]");
    if (!el || el.disabled) return;
    var act = page.actOf(el.dataset);
    if (el.dataset.from) gather(el.dataset.from, act);
    page.send(act);
  });
  document.addEventListener("change", function (event) {
    var el = event.target;
    if (!el.dataset || !el.dataset.do || el.tagName === "BUTTON") return;
    if (el.type === "search") return;
    if (el.dataset.live) { sendLive(changed(el)); return; }
    if (el.tagName === "SELECT" && el.dataset.part && el.value === "") return;
    page.send(changed(el));
  });
  var later = {};
  page.soon = function (key, wait, fun) {
    clearTimeout(later[key]);
    later[key] = setTimeout(fun, wait);
  };
  document.addEventListener("input", function (event) {
    var el = event.target;
    if (!el.dataset) return;
    if (el.dataset.live) {
      var now = $(el.id + "-now"), text = page.valueOf(el) === "" ? "all" : el.value;
      if (now) now.textContent = text;
      el.setAttribute("aria-valuetext", text);
      sendLive(changed(el));
    } else if (el.type === "search" && el.dataset.do) {
      page.soon(el.id, 250, function () { page.send(changed(el)); });
    }
    if (el.dataset.check) {
      page.soon("check-" + el.id, 180, function () {
        Shiny.setInputValue("typed", JSON.stringify({
          id: el.id, kind: el.dataset.check, text: el.value
        }), { priority: "event" });
      });
    }
  });
  // Enter in a group of fields is its button.
  document.addEventListener("keydown", function (event) {
    if (event.key !== "Enter" || event.target.tagName !== "INPUT") return;
    var group = event.target.closest("[data-group]");
    var button = group && group.querySelector("button[data-do]");
    if (!button) return;
    event.preventDefault();
    button.click();
  });
})(window.ledgerPage);
