// The sentence, typed: a line in the place of the sentence, with what could be said next below it.
(function (page) {
  "use strict";
  var $ = page.$, offers = [], from = 0, at = -1;

  page.typing = function (on) {
    var form = $("type"), said = document.querySelector("#sentence > p");
    if (!form || form.hidden === !on) return;
    form.hidden = !on;
    if (said) said.hidden = on;
    if (on) {
      var line = $("type-text");
      line.focus();
      line.setSelectionRange(line.value.length, line.value.length);
    } else {
      show([], 0);
      var button = document.querySelector("[data-type]");
      if (button) button.focus();
    }
  };
  var show = function (list, begins) {
    var box = $("type-offers"), line = $("type-text");
    offers = list;
    from = begins;
    at = -1;
    box.textContent = "";
    list.forEach(function (one, i) {
      var item = document.createElement("li"), says = document.createElement("span");
      item.id = "type-offer-" + i;
      item.setAttribute("role", "option");
      item.setAttribute("aria-selected", "false");
      item.textContent = one.text;
      says.className = "quiet";
      says.textContent = one.says;
      item.appendChild(says);
      box.appendChild(item);
    });
    box.hidden = list.length === 0;
    line.setAttribute("aria-expanded", list.length > 0 ? "true" : "false");
    line.removeAttribute("aria-activedescendant");
  };
  page.offer = function (message) {
    if (message.id !== "type-text" || document.activeElement !== $("type-text")) return;
    show(message.offers, message.from);
  };
  var point = function (next) {
    var items = $("type-offers").children;
    if (at >= 0) items[at].setAttribute("aria-selected", "false");
    at = (next + offers.length) % offers.length;
    items[at].setAttribute("aria-selected", "true");
    $("type-text").setAttribute("aria-activedescendant", items[at].id);
    items[at].scrollIntoView({ block: "nearest" });
  };
  var take = function (i) {
    var line = $("type-text");
    line.value = line.value.slice(0, from) + offers[i].text;
    show([], 0);
    line.focus();
    line.dispatchEvent(new Event("input", { bubbles: true }));
  };
  var ask = function () {
    show([], 0);
    page.send({ do: "sentence", value: $("type-text").value });
  };
  document.addEventListener("click", function (event) {
    if (event.target.closest("[data-type]")) { page.typing(true); return; }
    if (event.target.closest("[data-untype]")) { page.typing(false); return; }
    if (event.target.closest("#type button[type=submit]")) { ask(); return; }
    var item = event.target.closest("#type-offers li");
    if (item) take(Array.prototype.indexOf.call(item.parentNode.children, item));
  });
  document.addEventListener("keydown", function (event) {
    var tag = event.target.tagName;
    if (event.key === "/" && !/^(INPUT|TEXTAREA|SELECT)$/.test(tag) &&
        !document.querySelector("dialog[open]")) {
      event.preventDefault();
      page.typing(true);
      return;
    }
    if (event.target.id !== "type-text") return;
    var open = offers.length > 0;
    if (event.key === "ArrowDown" && open) { event.preventDefault(); point(at + 1); }
    else if (event.key === "ArrowUp" && open) { event.preventDefault(); point(at - 1); }
    else if (event.key === "Tab" && open && !event.shiftKey) {
      event.preventDefault();
      take(Math.max(at, 0));
    } else if (event.key === "Enter") {
      event.preventDefault();
      if (open && at >= 0) take(at); else ask();
    } else if (event.key === "Escape") {
      event.preventDefault();
      if (open) show([], 0); else page.typing(false);
    }
  });
})(window.ledgerPage);
