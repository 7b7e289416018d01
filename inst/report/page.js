// Tables sort by a click on a heading and filter by what is typed. Totals stay below the rows they
// are totals of.
(function () {
  "use strict";
  var number = function (text) {
    var plain = text.replace(/[^0-9.\-]/g, "");
    return plain === "" || plain === "-" ? null : Number(plain);
  };
  var compare = function (a, b, up) {
    if (a === null || b === null) return a === b ? 0 : a === null ? 1 : -1;
    return (a < b ? -1 : a > b ? 1 : 0) * (up ? 1 : -1);
  };
  var dress = function (box) {
    var body = box.querySelector("tbody");
    var rows = Array.prototype.slice.call(body.rows);
    if (rows.length < 2) return;
    var original = rows.slice();
    var heads = box.querySelectorAll("thead th");
    var sort = function (at, up, numeric) {
      var key = function (row) {
        var text = row.cells[at].textContent;
        return numeric ? number(text) : text;
      };
      var block = [], out = [];
      var flush = function () {
        block.sort(function (a, b) { return compare(key(a), key(b), up); });
        out = out.concat(block);
        block = [];
      };
      original.forEach(function (row) {
        if (!row.classList.contains("total")) { block.push(row); return; }
        flush();
        out.push(row);
      });
      flush();
      return out;
    };
    heads.forEach(function (head, at) {
      // The button lies over the heading, which stays text: browsers repeat it on printed pages.
      var button = document.createElement("button"), label = head.querySelector(".label");
      button.type = "button";
      var title = (label || head).textContent;
      button.setAttribute("aria-label", "Sort by " + title);
      head.appendChild(button);
      button.addEventListener("click", function () {
        var was = head.getAttribute("aria-sort"), numeric = head.classList.contains("number");
        var first = numeric ? "descending" : "ascending";
        var second = numeric ? "ascending" : "descending";
        var now = !was ? first : was === first ? second : null;
        heads.forEach(function (other) { other.removeAttribute("aria-sort"); });
        if (now) head.setAttribute("aria-sort", now);
        var ordered = now ? sort(at, now === "ascending", numeric) : original;
        ordered.forEach(function (row) { body.appendChild(row); });
      });
    });
    // The rows that a total closes can be folded away, where there are several totals.
    var closing = rows.filter(function (row) { return row.classList.contains("total"); });
    if (closing.length > 1) closing.forEach(function (total) {
      var own = [], row = total.previousElementSibling;
      while (row && !row.classList.contains("total")) { own.push(row); row = row.previousElementSibling; }
      if (own.length === 0) return;
      var fold = document.createElement("button"), first = total.cells[0];
      fold.type = "button";
      fold.className = "fold";
      fold.textContent = "\u2212";
      fold.setAttribute("aria-expanded", "true");
      fold.setAttribute("aria-label", "Rows of " + first.textContent);
      first.insertBefore(fold, first.firstChild);
      fold.addEventListener("click", function () {
        var open = fold.getAttribute("aria-expanded") === "true";
        own.forEach(function (one) { one.hidden = open; });
        fold.setAttribute("aria-expanded", open ? "false" : "true");
        fold.textContent = open ? "+" : "\u2212";
      });
    });
    if (rows.length < 8) return;
    var line = document.createElement("p"), input = document.createElement("input");
    var count = document.createElement("span"), name = box.getAttribute("aria-label");
    line.className = "filter";
    input.type = "search";
    input.placeholder = "Show rows with \u2026";
    input.setAttribute("aria-label", "Show only rows with this text, " + name);
    count.setAttribute("role", "status");
    line.appendChild(input);
    line.appendChild(count);
    box.parentNode.insertBefore(line, box);
    input.addEventListener("input", function () {
      var words = input.value.toLowerCase().split(/\s+/).filter(Boolean), shown = 0;
      rows.forEach(function (row) {
        var text = row.textContent.toLowerCase();
        row.hidden = !words.every(function (word) { return text.indexOf(word) >= 0; });
        if (!row.hidden) shown += 1;
      });
      count.textContent = words.length ? shown + " of " + rows.length + " rows" : "";
    });
  };
  document.querySelectorAll("div.table").forEach(dress);
  window.dressLedgerTable = dress;
})();
