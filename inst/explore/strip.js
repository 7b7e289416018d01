// The strip of bars: runs of periods by mouse, finger and keys.
(function (page) {
  "use strict";
  var $ = page.$;

  page.strip = function () {
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
      page.send({ do: "run", from: String(Math.min(anchor, active) + 1), to: String(Math.max(anchor, active) + 1) });
    };
    var at = function (event) {
      var bar = document.elementFromPoint(event.clientX, event.clientY);
      bar = bar && bar.closest && bar.closest(".bar");
      return bar && box.contains(bar) ? bars.indexOf(bar) : -1;
    };
    box.onpointerdown = function (event) {
      var place = at(event);
      if (place < 0 || event.button > 0) return;
      if (event.pointerType === "mouse") event.preventDefault();
      box.focus({ preventScroll: true });
      if (!(event.shiftKey && anchor !== null)) anchor = place;
      active = place;
      dragging = true;
      mark();
    };
    box.onpointermove = function (event) {
      var place = at(event);
      if (place < 0) return;
      if (dragging) { active = place; mark(); }
      else says.textContent = bars[place].getAttribute("aria-label");
    };
    box.onpointerup = function () { if (dragging) { dragging = false; take(); } };
    box.onpointercancel = function () { dragging = false; };
    box.onpointerleave = function () { if (!dragging) says.textContent = rest; };
    box.onkeydown = function (event) {
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
    };
  };
})(window.ledgerPage);
