  // Tables that were made again, put in the place of those before; what a reader chose stays chosen.
  document.addEventListener("renew", ({ detail }) => {
    for (const name of ["about", "contents", "method"]) {
      if ($(name).innerHTML !== detail[name]) $(name).innerHTML = detail[name];
    }
    for (const { place, section, data } of detail.tables) {
      const old = sections[place], made = document.createElement("template");
      made.innerHTML = section;
      const fresh = made.content.firstElementChild;
      widths.unobserve(old.querySelector(".scroll"));
      [byLine, originals].forEach((known) => known.delete(old));
      old.replaceWith(fresh);
      sections[place] = fresh;
      tables[place] = data;
      prepare(fresh);
    }
    entries = [...document.querySelectorAll("nav li[data-table]")];
    follow(document.querySelectorAll("nav a"));
    if ($("find").value) find();
    if (touched()) retest();
    if (document.querySelector("input[name=figure]:not(:checked)")) figures();
    if ($("counts").checked) counts();
    if ($("highlight").checked) highlight();
    detail.done = true;
  });
