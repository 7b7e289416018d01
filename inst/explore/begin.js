// The beginning: the connection, the address, the width.
(function (page) {
  "use strict";
  var $ = page.$;

  var address = function () {
    var text = "";
    try { text = decodeURIComponent(location.hash.slice(1)); } catch (error) { text = "["; }
    return text;
  };
  // No other page may show this one as a part of its own.
  if (window.top !== window.self) document.documentElement.hidden = true;
  var started = false;
  var start = function () {
    if (started) return;
    started = true;
    page.listen();
    var width = function () {
      var box = document.querySelector("main");
      Shiny.setInputValue("width", box ? box.clientWidth : window.innerWidth);
    };
    width();
    window.addEventListener("resize", function () { page.soon("width", 400, width); });
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
      page.say(["The page has ended, or the connection to it is lost. Open it again; its address holds the question."], "mind");
    });
  };
  wait();
})(window.ledgerPage);
