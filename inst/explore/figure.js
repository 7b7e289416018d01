// Figures: the picture of one, and its marks by mouse and keys.
(function (page) {
  "use strict";
  var $ = page.$;

  page.figure = function (message) {
    var box = $("figure-" + message.panel);
    if (!box) return;
    box.classList.remove("stale");
    if (message.problem) { box.innerHTML = message.problem; return; }
    box.textContent = "";
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
      page.send({ do: "behind", panel: String(message.panel), row: String(marks[at].row),
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
})(window.ledgerPage);
