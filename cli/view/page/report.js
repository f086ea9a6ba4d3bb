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
  if (find) find.addEventListener("input", filter);

  var data = document.getElementById("graph");
  if (!data) return;
  data = JSON.parse(data.textContent);
  var box = document.getElementById("map"), says = document.getElementById("chain"), back = document.getElementById("all");
  var names = data.nodes.map(function (n) { return n.name; }), needs = names.map(function () { return []; }), neededBy = names.map(function () { return []; }), ranges = {};
  data.edges.forEach(function (e) {
    needs[e.from].push(e.to);
    neededBy[e.to].push(e.from);
    ranges[e.from + " " + e.to] = e.range || "";
  });
  // More than this is no picture any more, and takes long to lay out.
  var whole = 240, around = 120, most = 70, chosen = -1;

  // reach is all that is reached from one, each with its distance.
  function reach(from, next) {
    var seen = {}, queue = [from];
    seen[from] = 0;
    for (var q = 0; q < queue.length; q++)
      next[queue[q]].forEach(function (j) {
        if (!(j in seen)) { seen[j] = seen[queue[q]] + 1; queue.push(j); }
      });
    return seen;
  }
  // The shortest chain from something that was asked for.
  function chain(i) {
    var from = {}, queue = [i];
    from[i] = -1;
    for (var q = 0; q < queue.length; q++) {
      var at = queue[q];
      if (data.nodes[at].asked) {
        var out = [];
        for (; at >= 0; at = from[at]) out.push(names[at]);
        return out;
      }
      neededBy[at].forEach(function (j) { if (!(j in from)) { from[j] = at; queue.push(j); } });
    }
    return [names[i]];
  }
  // implied reports whether a longer chain within the picture says the same as a line.
  function implied(from, to, shown) {
    var seen = {}, queue = needs[from].filter(function (j) { return j !== to && shown[j]; });
    while (queue.length) {
      var at = queue.pop();
      if (at === to) return true;
      if (seen[at] || at === from) continue;
      seen[at] = true;
      needs[at].forEach(function (j) { if (shown[j]) queue.push(j); });
    }
    return false;
  }
  function element(kind, attributes, parent) {
    var e = document.createElementNS("http://www.w3.org/2000/svg", kind);
    Object.keys(attributes).forEach(function (k) { e.setAttribute(k, attributes[k]); });
    if (parent) parent.appendChild(e);
    return e;
  }
  function titled(e, text) { element("title", {}, e).textContent = text; return e; }

  // draw lays out some packages and what they need of each other.
  function draw(list, all) {
    var g = new dagre.graphlib.Graph(), shown = {};
    list.forEach(function (i) { shown[i] = true; });
    g.setGraph({ rankdir: "LR", nodesep: 9, edgesep: 7, ranksep: 60 + Math.min(60, list.length / 2), marginx: 10, marginy: 10, ranker: list.length > 120 ? "tight-tree" : "network-simplex" });
    g.setDefaultEdgeLabel(function () { return {}; });
    list.forEach(function (i) { g.setNode(i, { width: Math.max(46, names[i].length * 7.4 + 18), height: 24 }); });
    data.edges.forEach(function (e) {
      if (shown[e.from] && shown[e.to] && (all || !implied(e.from, e.to, shown))) g.setEdge(e.from, e.to);
    });
    dagre.layout(g);
    var w = Math.ceil(g.graph().width), h = Math.ceil(g.graph().height);
    box.textContent = "";
    var svg = element("svg", { viewBox: "0 0 " + w + " " + h, width: w, height: h, role: "group", "aria-label": "What needs what" }, box);
    var wide = {}; // half of each column's width, by where its middle is
    list.forEach(function (i) { var at = g.node(i), x = Math.round(at.x); wide[x] = Math.max(wide[x] || 0, at.width / 2); });
    g.edges().forEach(function (e) {
      var a = g.node(e.v), b = g.node(e.w), p = g.edge(e).points, x = a.x + a.width / 2, y = a.y, d = "M" + x + " " + y;
      function bend(x2, y2) { var m = (x + x2) / 2; d += "C" + m + " " + y + " " + m + " " + y2 + " " + x2 + " " + y2; x = x2; y = y2; }
      function straight(x2) { d += "H" + x2; x = x2; }
      straight(a.x + wide[Math.round(a.x)]);
      // Every other point is in a column, where the line goes straight, between boxes.
      for (var i = 2; i < p.length - 2; i += 2) {
        var half = wide[Math.round(p[i].x)] || 0;
        bend(p[i].x - half, p[i].y);
        straight(p[i].x + half);
      }
      bend(b.x - wide[Math.round(b.x)], b.y);
      straight(b.x - b.width / 2);
      var lit = +e.v === chosen || +e.w === chosen;
      titled(element("path", { d: d, class: lit ? "lit" : "", "data-from": e.v, "data-to": e.w }, svg), names[e.v] + " needs " + (names[e.w] + " " + ranges[e.v + " " + e.w]).trim());
    });
    list.forEach(function (i) {
      var n = data.nodes[i], at = g.node(i);
      var one = element("g", { tabindex: 0, role: "button", "data-i": i, class: (n.asked ? "asked " : "") + (n.missing ? "missing " : "") + (i === chosen ? "chosen" : "") }, svg);
      titled(one, n.name + " " + (n.missing ? "is missing" : n.version));
      element("rect", { x: at.x - at.width / 2, y: at.y - 12, width: at.width, height: 24, rx: 4 }, one);
      element("text", { x: at.x, y: at.y + 4, "text-anchor": "middle" }, one).textContent = n.name;
    });
  }
  function overview() {
    var list = names.map(function (_, i) { return i; }), left = 0;
    chosen = -1;
    if (list.length > whole) {
      var lines = function (i) { return needs[i].length + neededBy[i].length; };
      list = list.sort(function (a, b) { return lines(b) - lines(a) || a - b; }).slice(0, most);
      left = names.length - list.length;
    }
    draw(list, false);
    says.textContent = left ? "These have the most lines; " + left + " more are drawn when they are chosen, here or in the table." : "";
    back.hidden = true;
  }
  function focus(i) {
    chosen = i;
    var up = reach(i, neededBy), down = reach(i, needs), far = {};
    Object.keys(up).forEach(function (j) { far[j] = up[j]; });
    Object.keys(down).forEach(function (j) { if (!(j in far) || down[j] < far[j]) far[j] = down[j]; });
    var list = Object.keys(far).map(Number).sort(function (a, b) { return far[a] - far[b] || a - b; }), left = Math.max(0, list.length - around);
    draw(list.slice(0, around), list.length <= 40);
    var path = chain(i), text = path.length > 1 ? path.join(" needs ") : names[i] + (data.nodes[i].asked ? " was asked for" : " is needed by nothing that was asked for");
    says.textContent = text + "; " + (Object.keys(up).length - 1) + " above it, " + (Object.keys(down).length - 1) + " below" + (left ? "; " + left + " that are further are not drawn" : "") + ".";
    back.hidden = false;
    var own = box.querySelector("[data-i='" + i + "']");
    own.focus({ preventScroll: true });
    box.scrollLeft = own.querySelector("rect").x.baseVal.value - box.clientWidth / 2 + 60;
  }
  // beside moves to the nearest package in a direction.
  function beside(from, x, y) {
    var a = from.querySelector("rect").getBBox(), best = null, least = Infinity;
    box.querySelectorAll("g[data-i]").forEach(function (other) {
      var b = other.querySelector("rect").getBBox(), dx = b.x + b.width / 2 - a.x - a.width / 2, dy = b.y - a.y;
      var along = x ? dx * x : dy * y, across = Math.abs(x ? dy : dx);
      if (other !== from && along > 4 && along + 2 * across < least) { least = along + 2 * across; best = other; }
    });
    if (best) best.focus();
  }
  function of(target) { return target.closest ? target.closest("g[data-i]") : null; }
  box.addEventListener("click", function (e) { var g = of(e.target); if (g) focus(+g.dataset.i); });
  box.addEventListener("keydown", function (e) {
    var g = of(e.target), step = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key];
    if (!g) return;
    if (e.key === "Enter" || e.key === " ") focus(+g.dataset.i);
    else if (step) beside(g, step[0], step[1]);
    else if (e.key !== "Escape") return;
    else if (chosen >= 0) { var was = chosen; overview(); var again = box.querySelector("[data-i='" + was + "']"); if (again) again.focus(); }
    e.preventDefault();
  });
  // What a package that is pointed at needs, and what needs it, stands out.
  function light(e) {
    var g = of(e.target), i = g ? g.dataset.i : "";
    box.querySelectorAll("path").forEach(function (l) { l.classList.toggle("lit", i ? l.dataset.from === i || l.dataset.to === i : +l.dataset.from === chosen || +l.dataset.to === chosen); });
  }
  box.addEventListener("mouseover", light);
  box.addEventListener("focusin", light);
  back.addEventListener("click", overview);
  document.querySelectorAll("[data-focus]").forEach(function (b) {
    var i = names.indexOf(b.dataset.focus);
    if (i < 0) return;
    b.addEventListener("click", function () { focus(i); document.getElementById("needs").scrollIntoView(); });
  });
  overview();
})();
