// The sentence's choices: each part opens its own, right below.
(function (page) {
  "use strict";
  var $ = page.$;

  // The choices of one part are open at a time; what is drawn anew keeps them so.
  var opened = null, opener = null, awaited = null;
  var box = function (name) { return $("choose-" + name); };
  var words = function (name) {
    return Array.prototype.slice.call(document.querySelectorAll('[data-open="' + name + '"]'));
  };
  page.showChoices = function () {
    if (awaited && box(awaited)) { opened = awaited; awaited = null; opener = null; var fresh = true; }
    if (opened && !box(opened)) opened = null;
    document.querySelectorAll(".choice").forEach(function (one) {
      one.hidden = one.id !== "choose-" + opened;
    });
    document.querySelectorAll("[data-open]").forEach(function (word) {
      word.setAttribute("aria-expanded", word.dataset.open === opened ? "true" : "false");
    });
    $("ask").hidden = !opened;
    if (fresh) first(opened);
  };
  var first = function (name) {
    var control = box(name).querySelector("[aria-pressed=true]:not(:disabled)") ||
      box(name).querySelector("input:not([type=hidden]), select, button:not(:disabled)");
    if (control) control.focus({ preventScroll: true });
    if (control && control.select && control.type === "text") control.select();
  };
  page.openChoices = function (name, from) {
    if (!box(name)) return;
    page.asWas();
    opened = name;
    opener = from || null;
    page.showChoices();
    first(name);
  };
  page.closeChoices = function (back) {
    if (!opened) return;
    page.asWas();
    var word = opener && document.contains(opener) ? opener : words(opened)[0];
    opened = null;
    page.showChoices();
    if (back && word) word.focus({ preventScroll: true });
  };
  // A step that is added shows what can be said of it, as soon as it is there.
  page.awaitChoices = function (name) { awaited = name; };

  document.addEventListener("click", function (event) {
    var word = event.target.closest("[data-open]");
    if (word) {
      if (word.dataset.open === opened && !word.closest("#ask")) page.closeChoices(true);
      else page.openChoices(word.dataset.open, word.closest("#ask") ? null : word);
      return;
    }
    if (event.target.closest("[data-shut]")) { page.closeChoices(true); return; }
    var fold = event.target.closest("[data-unfold]");
    if (fold) { unfold(fold); return; }
    var edge = event.target.closest("button.edge");
    if (edge) { toggleEdge(edge); return; }
    var step = event.target.closest("[data-then]");
    if (step) page.awaitChoices(step.dataset.then);
    // What was pressed may be drawn anew already, and be no longer in the page.
    if (opened && document.contains(event.target) && !event.target.closest("#ask, dialog, #said, #busy"))
      page.closeChoices(false);
  });
  document.addEventListener("keydown", function (event) {
    if (event.key !== "Escape" || !opened || document.querySelector("dialog[open]")) return;
    event.preventDefault();
    page.closeChoices(true);
  });
  // Columns of one way to measure are shown at a time.
  var unfold = function (button) {
    var open = button.getAttribute("aria-expanded") !== "true";
    var among = button.closest("[data-folds]");
    among.querySelectorAll("[data-unfold]").forEach(function (one) {
      var on = open && one === button;
      one.setAttribute("aria-expanded", on ? "true" : "false");
      $(one.dataset.unfold).hidden = !on;
    });
  };

  // Edges of bands are gathered until the bands are made.
  // An edge of bands that is held goes along with the pointer.
  var held = null;
  document.addEventListener("pointerdown", function (event) {
    held = event.target.closest("button.edge[aria-pressed=true]");
  });
  document.addEventListener("pointermove", function (event) {
    if (!held) return;
    var below = document.elementFromPoint(event.clientX, event.clientY);
    var to = below && below.closest("button.edge:not([disabled])");
    if (!to || to === held || to.closest("[data-group]") !== held.closest("[data-group]") ||
        to.getAttribute("aria-pressed") === "true") return;
    toggleEdge(held);
    toggleEdge(to);
    held = to;
  });
  ["pointerup", "pointercancel"].forEach(function (kind) {
    document.addEventListener(kind, function () { held = null; });
  });
  var toggleEdge = function (edge) {
    edge.setAttribute("aria-pressed", edge.getAttribute("aria-pressed") === "true" ? "false" : "true");
    var among = edge.closest("[data-group]");
    among.querySelector("[data-part=edges]").value = Array.prototype.map.call(
      among.querySelectorAll("button.edge[aria-pressed=true]"),
      function (one) { return one.dataset.edge; }).join(",");
  };

  // ---- what a part becomes -----------------------------------------------------------------------
  var word = null, was = null;
  page.asWas = function () {
    if (word) {
      word.textContent = was;
      word.classList.remove("becoming");
      $("sentence").style.height = "";
    }
    word = null;
  };
  var becomes = function (event) {
    var choice = event.target.closest && event.target.closest("#ask [data-becomes]");
    page.asWas();
    if (!choice || choice.disabled || !opened) return;
    word = words(opened).filter(function (one) { return !one.closest("#ask"); })[0] || $("and-more");
    if (!word) return;
    was = word.textContent;
    // A longer or shorter sentence must not move the choice away from under the pointer.
    $("sentence").style.height = $("sentence").offsetHeight + "px";
    word.textContent = choice.dataset.becomes;
    word.classList.add("becoming");
  };
  document.addEventListener("pointerover", becomes);
  document.addEventListener("focusin", becomes);
  document.addEventListener("pointerleave", page.asWas);
})(window.ledgerPage);
