// Messages from R: pieces, figures, addresses, what is said.
(function (page) {
  "use strict";
  var $ = page.$;

  var turns = 0;
  // What comes anew is put into what is there by morphdom: the focus, what was typed half, what is
  // folded and where it was scrolled to stay.
  var typed = "input[type=text], input[type=search], input[type=number], textarea, input:not([type])";
  var merge = function (from, to) {
    if (from.isEqualNode(to)) return false;
    if (from.tagName === "DETAILS") to.open = from.open;
    if (from.matches(".choice, [data-fold], .type, #sentence > p")) to.hidden = from.hidden;
    if (from.matches("[data-unfold]")) to.setAttribute("aria-expanded", from.getAttribute("aria-expanded"));
    if (from.matches(typed)) {
      var own = from.value !== from.defaultValue && to.defaultValue === from.defaultValue;
      if (own || from === document.activeElement && from.type === "search") to.value = from.value;
      if (own) to.setAttribute("aria-invalid", from.getAttribute("aria-invalid") || "false");
    }
    if (from.matches(".figure, .table, .problem") && from.classList[0] !== to.classList[0]) {
      from.replaceWith(to);
      return false;
    }
    if (from.matches(".figure") && from.querySelector("img")) {
      // Until the next picture is drawn its place is kept, so that nothing jumps.
      from.classList.add("stale");
      return false;
    }
    if (from.matches("div.table")) return exchange(from, to);
    return true;
  };
  // Tables are dressed with what sorts and narrows them, so that they are exchanged as a whole.
  var exchange = function (from, to) {
    if (from.asSent === to.outerHTML) return false;
    var active = document.activeElement, cell = from.contains(active) ? place(active) : null;
    var left = from.scrollLeft, top = from.scrollTop;
    from.replaceWith(to);
    to.scrollLeft = left;
    to.scrollTop = top;
    if (!cell) return false;
    var again = Array.prototype.find.call(to.querySelectorAll("button"), function (el) {
      return place(el) === cell;
    });
    if (again) again.focus({ preventScroll: true });
    return false;
  };
  var place = function (el) {
    return JSON.stringify([el.dataset.do, el.dataset.row, el.dataset.figure, el.dataset.span,
      el.dataset.value]);
  };
  page.replace = function (box, html) {
    var next = box.cloneNode(false);
    next.innerHTML = html;
    window.morphdom(box, next, { childrenOnly: true, onBeforeElUpdated: merge });
  };
  var dressed = function (box) {
    box.querySelectorAll("div.table").forEach(function (table) {
      if (table.asSent) return;
      table.asSent = table.outerHTML;
      if (window.dressLedgerTable) window.dressLedgerTable(table);
      var first = table.querySelector("button.cell");
      if (first) first.tabIndex = 0;
    });
  };
  // Arrow keys go from cell to cell.
  document.addEventListener("keydown", function (event) {
    var cell = event.target.closest && event.target.closest("button.cell");
    if (!cell) return;
    var step = { ArrowRight: [0, 1], ArrowLeft: [0, -1], ArrowDown: [1, 0], ArrowUp: [-1, 0] }[event.key];
    if (!step) return;
    event.preventDefault();
    var td = cell.closest("td, th"), row = td.parentNode, at = td.cellIndex, next = null;
    var target = row, column = at;
    for (var turn = 0; turn < 500; turn += 1) {
      column += step[1];
      if (step[0] === 1) target = target.nextElementSibling;
      if (step[0] === -1) target = target.previousElementSibling;
      if (!target || column < 0 || column >= target.cells.length) return;
      next = target.hidden ? null : target.cells[column].querySelector("button.cell");
      if (next) break;
    }
    if (!next) return;
    cell.tabIndex = -1;
    next.tabIndex = 0;
    next.focus();
  });
  var sheet = function (id, open) {
    var dialog = $(id);
    if (open && !dialog.open) {
      dialog.showModal();
      var title = dialog.querySelector("h2");
      if (title) title.focus();
    }
    if (!open && dialog.open) dialog.close();
  };
  var on = function (type, fun) { Shiny.addCustomMessageHandler(type, fun); };

  page.listen = function () {
    on("pieces", function (message) {
      page.asWas();
      Object.keys(message.pieces).forEach(function (id) {
        var box = $(id);
        if (!box) return;
        page.replace(box, message.pieces[id]);
        if (id.indexOf("panel-") === 0) dressed(box);
        if (id === "strip") page.strip();
      });
      page.showChoices();
      sheet("behind", message.behind);
      turns += 1;
      document.body.dataset.turn = String(turns);
    });
    on("figure", page.figure);
    on("ready", function (message) {
      page.count("ready");
    });
    on("done", function (message) {
      page.answered(message.act);
    });
    on("address", function (message) {
      var at = location.pathname + location.search + "#" + encodeURIComponent(message.text);
      if (message.push) history.pushState(null, "", at); else history.replaceState(null, "", at);
    });
    on("typed", function (message) {
      var box = $(message.id + "-says"), input = $(message.id);
      if (box) { box.textContent = message.says; box.classList.toggle("mind", !message.ok); }
      if (input) input.setAttribute("aria-invalid", message.ok ? "false" : "true");
      if (message.offers && page.offer) page.offer(message);
    });
    on("say", function (message) { page.say(message.texts, message.kind); });
    on("sheet", function (message) {
      if (message.html) { $(message.id).innerHTML = message.html; }
      sheet(message.id, message.open);
    });
    on("copied", function (message) {
      var box = $("copied");
      if (box) { box.hidden = false; box.textContent = message.text; }
      var told = function (done) {
        page.say([done ? "Copied the " + message.what + "." : "Here is the " + message.what + "; copy it by hand."], "told");
      };
      if (navigator.clipboard) {
        navigator.clipboard.writeText(message.text).then(function () { told(true); },
          function () { told(false); });
      } else told(false);
    });
    on("file", function (message) {
      var link = document.createElement("a");
      link.href = message.url;
      link.download = message.name;
      document.body.appendChild(link);
      link.click();
      link.remove();
    });
    on("working", function (message) {
      var box = $("busy");
      if (!message.on) { box.textContent = ""; box.className = ""; return; }
      inReach(box);
      box.className = "on";
      if (!box.querySelector("button")) {
        box.innerHTML = "<span></span> <button type=\"button\" data-do=\"stop\">Stop</button>";
      }
      box.querySelector("span").textContent = message.says;
    });
  };
  // What is said, and what stops work, must be seen and pressed over an open sheet too: all else
  // is out of reach then.
  var inReach = function (box) {
    var dialog = document.querySelector("dialog[open]"), place = dialog || document.body;
    if (box.parentNode === place) return;
    place.insertBefore(box, dialog ? dialog.firstChild : document.querySelector("main"));
  };
  page.say = function (texts, kind) {
    var box = $("said");
    box.textContent = "";
    var list = document.createElement("div");
    list.className = "said " + kind;
    texts.slice(0, 8).forEach(function (text) {
      var line = document.createElement("p");
      line.textContent = text;
      list.appendChild(line);
    });
    var close = document.createElement("button");
    close.type = "button";
    close.textContent = "\u00d7";
    close.setAttribute("aria-label", "Close the message");
    close.addEventListener("click", function () { box.textContent = ""; });
    list.appendChild(close);
    box.appendChild(list);
    if (kind === "told") {
      setTimeout(function () { if (box.contains(list)) box.textContent = ""; }, 9000);
    }
    inReach(box);
  };
  ["behind", "hand"].forEach(function (id) {
    document.addEventListener("DOMContentLoaded", function () {
      $(id).addEventListener("close", function () {
        inReach($("said"));
        inReach($("busy"));
        if (id === "hand") $(id).textContent = "";
      });
      $(id).addEventListener("cancel", function (event) {
        if (id === "behind") { event.preventDefault(); page.send({ do: "back" }); }
      });
    });
  });
})(window.ledgerPage);
