(function () {
  "use strict";
  var find = document.getElementById("find"), jars = document.querySelectorAll("#jars li"), count = document.getElementById("count");
  var held = JSON.parse(document.getElementById("held").textContent), names = Object.keys(held).sort();
  find.addEventListener("input", function () {
    var word = find.value.trim().toLowerCase(), shown = 0;
    var hits = word ? names.filter(function (n) { return n.indexOf(word) >= 0; }) : [];
    jars.forEach(function (jar, i) {
      jar.hidden = !!word && jar.dataset.text.toLowerCase().indexOf(word) < 0;
      if (!jar.hidden) shown++;
      var own = hits.filter(function (n) { return held[n][i] !== undefined; });
      var text = own.slice(0, 4).map(function (n) { return n + " " + held[n][i]; }).join(", ");
      jar.querySelector(".hits").textContent = text + (own.length > 4 ? " and " + (own.length - 4) + " more" : "");
    });
    count.textContent = word ? shown + " of " + jars.length : "";
  });
})();
