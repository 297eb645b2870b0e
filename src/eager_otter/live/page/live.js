"use strict";
(() => {
  const $ = (id) => document.getElementById(id);
  const RETRY = 1000; // milliseconds
  const STEPS = 30, SURE = 4; // frames
  let number = 0, frame = $("report"), loading = null;

  const sections = (one) => [...one.contentDocument.querySelectorAll("section[data-id]")];

  // The table looked at: the last one whose top is at, or above, the upper third of the window.
  function place() {
    if (!frame.contentDocument) return null;
    const top = (section) => section.getBoundingClientRect().top;
    const seen = sections(frame).filter((section) => top(section) <= frame.clientHeight / 3);
    const at = frame.contentWindow.scrollY > 0 && seen.length ? seen[seen.length - 1] : null;
    return { id: at && at.dataset.id, offset: at && top(at), y: frame.contentWindow.scrollY };
  }

  function find(one, id) {
    return sections(one).find((section) => section.dataset.id === id);
  }

  // Tables out of view have an estimated height until they are drawn, so that it takes a few steps to get there.
  async function goTo(one, was) {
    if (!one.isConnected) return; // newer tables have come
    const target = was && was.id && find(one, was.id);
    if (!target) {
      one.contentWindow.scrollTo(0, was ? was.y : 0);
      return;
    }
    for (let step = 0, still = 0; step < STEPS && one.isConnected; step += 1) {
      const off = target.getBoundingClientRect().top - was.offset;
      still = Math.abs(off) < 1 ? still + 1 : 0;
      if (still === SURE) return;
      one.contentWindow.scrollBy(0, off);
      await new Promise((drawn) => one.contentWindow.requestAnimationFrame(() => setTimeout(drawn)));
    }
  }

  // Put the tables that were made again in their places; false where the page has to be loaded.
  async function renew(shown) {
    if (loading || !shown) return false;
    const changes = await (await fetch(`changes?since=${shown}`, { cache: "no-store" })).json();
    if (changes.whole || loading) return false;
    const was = place();
    frame.contentDocument.dispatchEvent(new frame.contentWindow.CustomEvent("renew", { detail: changes }));
    if (!changes.done) return false;
    await goTo(frame, was);
    document.body.dataset.shown = changes.number;
    return true;
  }

  function load(news) {
    if (loading) loading.remove();
    const fresh = (loading = frame.cloneNode(false));
    fresh.className = "behind";
    fresh.src = `page?number=${news.number}`;
    fresh.addEventListener("load", async () => {
      const was = place();
      await goTo(fresh, was);
      if (fresh !== loading) return;
      frame.remove();
      fresh.className = "";
      frame = fresh;
      loading = null;
      await goTo(fresh, was);
      document.body.dataset.shown = news.number;
    });
    frame.parentNode.append(fresh);
  }

  function tell(news) {
    $("told").textContent = news.told;
    $("told").className = "";
    $("mistake").hidden = !news.mistake;
    $("mistake").querySelector("pre").textContent = news.mistake;
    $("mistake").querySelector("h1").textContent = news.good ? "A mistake; the tables below are the last good ones" : "A mistake; there are no tables yet";
    $("jumps").replaceChildren(...news.jumps.map((id) => {
      const link = document.createElement("a");
      link.href = "#";
      link.textContent = id;
      link.addEventListener("click", (event) => {
        event.preventDefault();
        const target = find(frame, id);
        if (target) target.scrollIntoView();
      });
      return link;
    }));
  }

  async function listen() {
    for (;;) {
      try {
        const answer = await fetch(`news?after=${number}`, { cache: "no-store" });
        const news = await answer.json();
        if (news.number > number) {
          number = news.number;
          tell(news);
          if (!news.mistake && !(await renew(+document.body.dataset.shown).catch(() => false))) load(news);
          document.body.dataset.told = number;
        }
      } catch {
        $("told").textContent = "The program has ended, or cannot be reached; start eager-otter live again.";
        $("told").className = "lost";
        await new Promise((done) => setTimeout(done, RETRY));
      }
    }
  }

  listen();
})();
