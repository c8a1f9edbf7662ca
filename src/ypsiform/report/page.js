"use strict";
(function () {
  document.documentElement.classList.add("scripted");
  for (const box of document.querySelectorAll("input[type=search]")) {
    const rows = document.querySelectorAll(box.dataset.filters);
    box.addEventListener("input", function () {
      const words = box.value.trim().toLowerCase();
      for (const row of rows) { row.hidden = words !== "" && !row.textContent.toLowerCase().includes(words); }
    });
  }
  for (const button of document.querySelectorAll("button[data-open]")) {
    button.addEventListener("click", function () {
      const open = button.dataset.open === "yes";
      for (const one of document.querySelectorAll(".frame details")) { one.open = open; }
    });
  }
  function reveal() {
    const there = location.hash ? document.getElementById(location.hash.slice(1)) : null;
    for (let up = there; up; up = up.parentElement) { if (up.tagName === "DETAILS") { up.open = true; } }
    if (there) { there.scrollIntoView(); }
  }
  window.addEventListener("hashchange", reveal);
  reveal();
})();
