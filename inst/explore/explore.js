// The page to point at. Elements carry the act they stand for in data- attributes; acts are sent,
// pieces of HTML, figures and addresses come back. Nothing is worked out here.
(function () {
  "use strict";
  var $ = function (id) { return document.getElementById(id); };
  var turns = 0;

  // ---- acts ----------------------------------------------------------------------------------
  var keys = ["do", "value", "field", "step", "column", "only", "missing", "panel", "row", "figure",
    "span", "ready"];
  var underWay = false, waiting = null;
  var send = function (act) {
    if (!window.Shiny || !Shiny.setInputValue) return;
    underWay = true;
    document.body.dataset.acts = String(Number(document.body.dataset.acts || 0) + 1);
    Shiny.setInputValue("act", JSON.stringify(act), { priority: "event" });
  };
  // Of a slider that is moved only the place where it is now matters.
  var sendLive = function (act) {
    if (underWay) { waiting = act; return; }
    send(act);
  };
  var actOf = function (el) {
    var act = {};
    keys.forEach(function (key) {
      if (el.dataset[key] !== undefined) act[key] = el.dataset[key];
    });
    return act;
  };
  var valueOf = function (el) {
    if (el.type === "checkbox") {
      if (el.dataset.yes) return el.checked ? el.dataset.yes : "";
      return el.checked ? "yes" : "no";
    }
    if (el.type === "range" && el.dataset.last && el.value === el.max) return "";
    return el.value;
  };
  var gather = function (name, act) {
    document.querySelectorAll('[data-group="' + name + '"] [data-part]').forEach(function (el) {
      act[el.dataset.part] = valueOf(el);
    });
    return act;
  };
  var changed = function (el) {
    var act = actOf(el);
    if (el.dataset.member !== undefined) act.value = el.dataset.member;
    else if (el.dataset.missing === undefined) act[el.dataset.part || "value"] = valueOf(el);
    return el.dataset.from ? gather(el.dataset.from, act) : act;
  };
  document.addEventListener("click", function (event) {
    var word = event.target.closest("[data-goto]");
    if (word) { goTo(word.dataset.goto); return; }
    var close = event.target.closest("[data-close]");
    if (close) { $(close.dataset.close).close(); return; }
    var el = event.target.closest("button[data-do]");
    if (!el || el.disabled) return;
    var act = actOf(el);
    if (el.dataset.from) gather(el.dataset.from, act);
    send(act);
  });
  document.addEventListener("change", function (event) {
    var el = event.target;
    if (!el.dataset || !el.dataset.do || el.tagName === "BUTTON") return;
    if (el.type === "search") return;
    if (el.dataset.live) { sendLive(changed(el)); return; }
    if (el.tagName === "SELECT" && el.dataset.part && el.value === "") return;
    send(changed(el));
  });
  var later = {};
  var soon = function (key, wait, fun) {
    clearTimeout(later[key]);
    later[key] = setTimeout(fun, wait);
  };
  document.addEventListener("input", function (event) {
    var el = event.target;
    if (!el.dataset) return;
    if (el.dataset.live) {
      var now = $(el.id + "-now"), text = valueOf(el) === "" ? "all" : el.value;
      if (now) now.textContent = text;
      el.setAttribute("aria-valuetext", text);
      sendLive(changed(el));
    } else if (el.type === "search" && el.dataset.do) {
      soon(el.id, 250, function () { send(changed(el)); });
    }
    if (el.dataset.check) {
      soon("check-" + el.id, 180, function () {
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

  // A part of the sentence leads to where it is changed.
  var places = { when: "span", second: "second", what: "section-what", by: "section-by",
    which: "section-which", steps: "section-steps" };
  var goTo = function (part) {
    var el = $(places[part]);
    if (!el) return;
    var section = el.closest("details");
    if (section) section.open = true;
    var control = el.matches("input") ? el : el.querySelector("button, input, select, summary");
    if (el.matches("details")) control = el.querySelector("summary ~ * button, summary ~ * input, summary ~ * select") || el.querySelector("summary");
    el.scrollIntoView({ block: "center" });
    if (control) control.focus();
  };

  // ---- pieces --------------------------------------------------------------------------------
  var signature = function (el) {
    return el.id ? "#" + el.id : JSON.stringify([el.tagName, el.dataset.do, el.dataset.value,
      el.dataset.step, el.dataset.column, el.dataset.member, el.dataset.only, el.dataset.row,
      el.dataset.figure, el.dataset.panel]);
  };
  var scrolled = ".bars, .members, .table";
  var replace = function (box, html) {
    var active = document.activeElement, had = active && box.contains(active) && active !== box;
    var sign = had ? signature(active) : null, typed = null, from = null, to = null;
    if (had && active.matches("input:not([type=checkbox]):not([type=range]):not([type=color])")) {
      typed = active.value; from = active.selectionStart; to = active.selectionEnd;
    }
    // What was typed and not sent yet stays, whatever is done elsewhere.
    var drafts = {};
    box.querySelectorAll("input[type=text], input[type=search], input[type=number], textarea, input:not([type])")
      .forEach(function (input) {
        if (input.value !== input.defaultValue) drafts[signature(input)] = [input.value, input.defaultValue];
      });
    var folds = {};
    box.querySelectorAll("details").forEach(function (fold, at) { folds[fold.id || at] = fold.open; });
    var scroll = Array.prototype.map.call(box.querySelectorAll(scrolled), function (el) {
      return [el.scrollLeft, el.scrollTop];
    });
    box.innerHTML = html;
    box.querySelectorAll("details").forEach(function (fold, at) {
      if (fold.id && fold.id in folds) fold.open = folds[fold.id];
    });
    Array.prototype.forEach.call(box.querySelectorAll(scrolled), function (el, at) {
      if (scroll[at]) { el.scrollLeft = scroll[at][0]; el.scrollTop = scroll[at][1]; }
    });
    box.querySelectorAll("input, textarea").forEach(function (input) {
      var draft = drafts[signature(input)];
      if (draft && input.value === draft[1]) input.value = draft[0];
    });
    if (!had) return;
    var again = Array.prototype.find.call(
      box.querySelectorAll("button, input, select, summary, [tabindex]"),
      function (el) { return signature(el) === sign; });
    if (!again) {
      again = box.querySelector("[aria-pressed=true], input, button, summary");
    } else if (typed !== null && again.type === "search") {
      again.value = typed;
    }
    if (again) {
      again.focus({ preventScroll: true });
      if (from !== null && again.setSelectionRange && again.type !== "number") {
        try { again.setSelectionRange(from, to); } catch (error) { /* of no text */ }
      }
    }
  };
  var dressed = function (box) {
    if (window.dressLedgerTable) box.querySelectorAll("div.table").forEach(window.dressLedgerTable);
    box.querySelectorAll("div.table").forEach(function (table) {
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

  var begin = function () {
    on("pieces", function (message) {
      Object.keys(message.pieces).forEach(function (id) {
        var box = $(id);
        if (!box) return;
        // Until the next picture is drawn its place is kept, so that nothing jumps.
        var old = box.querySelector(".figure"), high = old ? old.offsetHeight : 0;
        replace(box, message.pieces[id]);
        var next = box.querySelector(".figure");
        if (next && high) next.style.minHeight = high + "px";
        if (id.indexOf("panel-") === 0) dressed(box);
        if (id === "strip") strip();
        if (id.indexOf("panel-") === 0) delete figures[id.slice(6)];
      });
      sheet("behind", message.behind);
      turns += 1;
      document.body.dataset.turn = String(turns);
    });
    on("figure", figure);
    on("ready", function (message) {
      document.body.dataset.ready = String(Number(document.body.dataset.ready || 0) + 1);
    });
    on("done", function (message) {
      document.body.dataset.did = message.act || "";
      underWay = false;
      document.body.dataset.done = String(Number(document.body.dataset.done || 0) + 1);
      if (waiting) { var act = waiting; waiting = null; send(act); }
    });
    on("address", function (message) {
      var at = location.pathname + location.search + "#" + encodeURIComponent(message.text);
      if (message.push) history.pushState(null, "", at); else history.replaceState(null, "", at);
    });
    on("typed", function (message) {
      var box = $(message.id + "-says"), input = $(message.id);
      if (box) { box.textContent = message.says; box.classList.toggle("mind", !message.ok); }
      if (input) input.setAttribute("aria-invalid", message.ok ? "false" : "true");
    });
    on("say", function (message) { say(message.texts, message.kind); });
    on("sheet", function (message) {
      if (message.html) { $(message.id).innerHTML = message.html; }
      sheet(message.id, message.open);
    });
    on("copied", function (message) {
      var box = $("copied");
      if (box) { box.hidden = false; box.textContent = message.text; }
      var told = function (done) {
        say([done ? "Copied the " + message.what + "." : "Here is the " + message.what + "; copy it by hand."], "told");
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
    place.insertBefore(box, dialog ? dialog.firstChild : document.querySelector(".desk"));
  };
  var say = function (texts, kind) {
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
        if (id === "behind") { event.preventDefault(); send({ do: "back" }); }
      });
    });
  });

  // ---- the strip of bars -----------------------------------------------------------------------
  var strip = function () {
    var box = $("bars"), says = $("bar-says");
    if (!box) return;
    var bars = Array.prototype.slice.call(box.children), rest = says.textContent;
    var anchor = null, active = null, dragging = false;
    var chosen = bars.map(function (bar, at) { return bar.getAttribute("aria-selected") === "true" ? at : -1; })
      .filter(function (at) { return at >= 0; });
    if (chosen.length) { anchor = chosen[0]; active = chosen[chosen.length - 1]; }
    if (chosen.length) {
      var last = bars[chosen[chosen.length - 1]];
      if (last.offsetLeft + last.offsetWidth > box.scrollLeft + box.clientWidth || last.offsetLeft < box.scrollLeft) {
        box.scrollLeft = last.offsetLeft - box.clientWidth + 60;
      }
    } else box.scrollLeft = box.scrollWidth;
    var mark = function () {
      var low = Math.min(anchor, active), high = Math.max(anchor, active);
      bars.forEach(function (bar, at) {
        bar.classList.toggle("held", anchor !== null && at >= low && at <= high);
        bar.classList.toggle("active", at === active);
      });
      box.setAttribute("aria-activedescendant", bars[active].id);
      says.textContent = bars[low].getAttribute("aria-label") +
        (high > low ? " \u2026 " + bars[high].getAttribute("aria-label") : "");
    };
    var take = function () {
      send({ do: "run", from: String(Math.min(anchor, active) + 1), to: String(Math.max(anchor, active) + 1) });
    };
    var at = function (event) {
      var bar = document.elementFromPoint(event.clientX, event.clientY);
      bar = bar && bar.closest && bar.closest(".bar");
      return bar && box.contains(bar) ? bars.indexOf(bar) : -1;
    };
    box.addEventListener("pointerdown", function (event) {
      var place = at(event);
      if (place < 0 || event.button > 0) return;
      if (event.pointerType === "mouse") event.preventDefault();
      box.focus({ preventScroll: true });
      if (!(event.shiftKey && anchor !== null)) anchor = place;
      active = place;
      dragging = true;
      mark();
    });
    box.addEventListener("pointermove", function (event) {
      var place = at(event);
      if (place < 0) return;
      if (dragging) { active = place; mark(); }
      else says.textContent = bars[place].getAttribute("aria-label");
    });
    box.addEventListener("pointerup", function () { if (dragging) { dragging = false; take(); } });
    box.addEventListener("pointercancel", function () { dragging = false; });
    box.addEventListener("pointerleave", function () { if (!dragging) says.textContent = rest; });
    box.addEventListener("keydown", function (event) {
      if (active === null) { anchor = active = bars.length - 1; }
      var to = { ArrowLeft: active - 1, ArrowRight: active + 1, Home: 0, End: bars.length - 1 }[event.key];
      if (to !== undefined) {
        event.preventDefault();
        active = Math.min(Math.max(to, 0), bars.length - 1);
        if (!event.shiftKey) anchor = active;
        mark();
        bars[active].scrollIntoView({ block: "nearest", inline: "nearest" });
      } else if (event.key === "Enter" || event.key === " ") {
        event.preventDefault();
        mark();
        take();
      }
    });
  };

  // ---- figures ---------------------------------------------------------------------------------
  var figures = {};
  var figure = function (message) {
    var box = $("figure-" + message.panel);
    if (!box) return;
    if (message.problem) { box.innerHTML = message.problem; box.style.minHeight = ""; return; }
    box.textContent = "";
    box.style.minHeight = "";
    var frame = document.createElement("div"), image = document.createElement("img");
    var mark = document.createElement("div"), live = document.createElement("p");
    frame.className = "picture";
    mark.className = "mark";
    mark.hidden = true;
    live.className = "unseen";
    live.setAttribute("aria-live", "polite");
    image.alt = message.alt;
    image.width = message.width;
    image.height = message.height;
    image.src = message.picture;
    var marks = message.marks.map(function (one) {
      return { x: one[0], y: one[1], w: one[2], h: one[3], row: one[4], figure: one[5], says: one[6] };
    });
    frame.appendChild(image);
    frame.appendChild(mark);
    box.appendChild(frame);
    box.appendChild(live);
    if (marks.length === 0) return;
    frame.tabIndex = 0;
    frame.setAttribute("role", "application");
    frame.setAttribute("aria-roledescription", "figure");
    frame.setAttribute("aria-label", message.alt + " Arrow keys go from value to value, Enter shows the entries behind one.");
    var now = -1, tip = $("point");
    figures[message.panel] = marks;
    var show = function (at, spoken) {
      now = at;
      var one = marks[at], wide = Math.max(one.w, 0.008), high = Math.max(one.h, 0.014);
      mark.hidden = false;
      mark.style.left = 100 * (one.x - wide / 2) + "%";
      mark.style.top = 100 * (one.y - high / 2) + "%";
      mark.style.width = 100 * wide + "%";
      mark.style.height = 100 * high + "%";
      mark.classList.toggle("dot", one.w < 0.002);
      tip.textContent = one.says;
      tip.hidden = false;
      var place = frame.getBoundingClientRect();
      var left = place.left + one.x * place.width, top = place.top + (one.y - one.h / 2) * place.height;
      tip.style.left = Math.max(6, Math.min(left + 12, window.innerWidth - tip.offsetWidth - 8)) + "px";
      tip.style.top = Math.max(6, top - tip.offsetHeight - 8) + "px";
      frame.dataset.says = one.says;
      if (spoken) live.textContent = one.says;
    };
    var hide = function () { mark.hidden = true; tip.hidden = true; now = -1; };
    var nearest = function (event) {
      var place = frame.getBoundingClientRect();
      var x = (event.clientX - place.left) / place.width, y = (event.clientY - place.top) / place.height;
      var best = -1, least = Infinity, shape = place.height / place.width;
      marks.forEach(function (one, at) {
        var dx = Math.max(Math.abs(x - one.x) - one.w / 2, 0), dy = Math.max(Math.abs(y - one.y) - one.h / 2, 0) * shape;
        var far = dx * dx + dy * dy;
        if (far < least) { least = far; best = at; }
      });
      return least < 0.0012 ? best : -1;
    };
    frame.addEventListener("pointermove", function (event) {
      var at = nearest(event);
      if (at >= 0) show(at, false); else hide();
      frame.style.cursor = at >= 0 ? "pointer" : "default";
    });
    frame.addEventListener("pointerleave", function () {
      if (document.activeElement !== frame) hide();
    });
    var follow = function (at) {
      send({ do: "behind", panel: String(message.panel), row: String(marks[at].row),
        figure: marks[at].figure });
    };
    frame.addEventListener("click", function (event) {
      var at = nearest(event);
      if (at >= 0) follow(at);
    });
    frame.addEventListener("focus", function () { if (frame.matches(":focus-visible")) show(now < 0 ? marks.length - 1 : now, true); });
    frame.addEventListener("blur", hide);
    frame.addEventListener("keydown", function (event) {
      var at = now < 0 ? marks.length - 1 : now, to = at, one = marks[at];
      var beside = function (step) {
        if (message.days) return Math.min(Math.max(at + step, 0), marks.length - 1);
        var place = at + step;
        while (marks[place] && Math.abs(marks[place].x - one.x) < 1e-6) place += step;
        if (!marks[place]) return at;
        var best = place, x = marks[place].x;
        for (var k = place; marks[k] && Math.abs(marks[k].x - x) < 1e-6; k += step) {
          if (Math.abs(marks[k].y - one.y) < Math.abs(marks[best].y - one.y)) best = k;
        }
        return best;
      };
      if (event.key === "ArrowRight") to = beside(1);
      else if (event.key === "ArrowLeft") to = beside(-1);
      else if (event.key === "ArrowUp") to = Math.max(at - (message.days ? 7 : 1), 0);
      else if (event.key === "ArrowDown") to = Math.min(at + (message.days ? 7 : 1), marks.length - 1);
      else if (event.key === "Home") to = 0;
      else if (event.key === "End") to = marks.length - 1;
      else if (event.key === "Enter" || event.key === " ") {
        event.preventDefault();
        if (now >= 0) follow(now);
        return;
      } else if (event.key === "Escape") { hide(); return; } else return;
      event.preventDefault();
      show(to, true);
    });
  };
  document.addEventListener("scroll", function () {
    if ($("point")) $("point").hidden = true;
  }, true);

  // ---- beginning, address, width ---------------------------------------------------------------
  var address = function () {
    var text = "";
    try { text = decodeURIComponent(location.hash.slice(1)); } catch (error) { text = "["; }
    return text;
  };
  var started = false;
  var start = function () {
    if (started) return;
    started = true;
    begin();
    var width = function () {
      var box = document.querySelector("main");
      Shiny.setInputValue("width", box ? box.clientWidth : window.innerWidth);
    };
    width();
    window.addEventListener("resize", function () { soon("width", 400, width); });
    Shiny.setInputValue("address", address(), { priority: "event" });
    window.addEventListener("popstate", function () {
      Shiny.setInputValue("address", address(), { priority: "event" });
    });
  };
  var wait = function () {
    if (!window.jQuery) { setTimeout(wait, 10); return; }
    window.jQuery(document).on("shiny:connected", start);
    if (window.Shiny && Shiny.shinyapp && Shiny.shinyapp.isConnected()) start();
    window.jQuery(document).on("shiny:disconnected", function () {
      say(["The page has ended, or the connection to it is lost. Open it again; its address holds the question."], "mind");
    });
  };
  wait();
})();
