(function () {
  "use strict";
  var find = document.getElementById("find"), rows = document.querySelectorAll("#rows tr[data-text]"), count = document.getElementById("count");
  function filter() {
    var words = find.value.toLowerCase().split(/\s+/), shown = 0;
    rows.forEach(function (row) {
      var text = row.dataset.text.toLowerCase();
      row.hidden = !words.every(function (w) { return text.indexOf(w) >= 0; });
      if (!row.hidden) shown++;
    });
    count.textContent = find.value ? shown + " of " + rows.length : "";
  }
  find.addEventListener("input", filter);

  var map = document.getElementById("map");
  if (!map) return;
  var says = document.getElementById("chain"), chosen = null;
  var boxes = Array.from(map.querySelectorAll("g")), lines = Array.from(map.querySelectorAll("path"));
  function follow(name, from, to) {
    var seen = {}, queue = [name];
    while (queue.length) {
      var at = queue.shift();
      if (seen[at]) continue;
      seen[at] = true;
      lines.forEach(function (l) { if (l.dataset[from] === at) queue.push(l.dataset[to]); });
    }
    return seen;
  }
  // The shortest chain from something that was asked for.
  function chain(name) {
    var back = {}, queue = [name];
    back[name] = null;
    while (queue.length) {
      var at = queue.shift();
      if (boxes.some(function (b) { return b.dataset.name === at && b.classList.contains("asked"); })) {
        var out = [];
        for (; at; at = back[at]) out.push(at);
        return out;
      }
      lines.forEach(function (l) {
        if (l.dataset.to === at && !(l.dataset.from in back)) { back[l.dataset.from] = at; queue.push(l.dataset.from); }
      });
    }
    return [name];
  }
  function choose(name) {
    chosen = chosen === name ? null : name;
    map.classList.toggle("follow", !!chosen);
    var above = chosen ? follow(chosen, "to", "from") : {}, below = chosen ? follow(chosen, "from", "to") : {};
    boxes.forEach(function (b) {
      b.classList.toggle("lit", !!(above[b.dataset.name] || below[b.dataset.name]));
      b.classList.toggle("chosen", b.dataset.name === chosen);
    });
    lines.forEach(function (l) {
      l.classList.toggle("lit", !!(above[l.dataset.to] && above[l.dataset.from] || below[l.dataset.from] && below[l.dataset.to]));
    });
    var path = chosen ? chain(chosen) : [];
    says.textContent = !chosen ? "" : path.length > 1 ? path.join(" needs ") : chosen + (boxes.some(function (b) { return b.dataset.name === chosen && b.classList.contains("asked"); }) ? " was asked for" : " is needed by nothing");
  }
  boxes.forEach(function (b) {
    b.addEventListener("click", function () { choose(b.dataset.name); });
    b.addEventListener("keydown", function (e) { if (e.key === "Enter" || e.key === " ") { e.preventDefault(); choose(b.dataset.name); } });
  });
})();
