"use strict";
(() => {
  // What changed elsewhere is seen here: a file, an answer, the schema, a record saved in another window. What was typed stays.
  const every = (selector, within) => [...within.querySelectorAll(selector)];
  const control = "input[id], select[id], textarea[id]";
  const isTick = (element) => element.type === "checkbox" || element.type === "radio";
  const value = (element) => (isTick(element) ? element.checked : element.value);
  const first = (element) => {
    if (isTick(element)) return element.defaultChecked;
    if (element.tagName !== "SELECT") return element.defaultValue;
    const chosen = [...element.options].find((option) => option.defaultSelected) || element.options[0];
    return chosen ? chosen.value : "";
  };

  const redraw = async () => {
    // An answer to a form has no address of its own to be asked again.
    if (document.querySelector("[data-sent]")) return;
    const answer = await fetch(location.href);
    if (!answer.ok && answer.status !== 404) return;
    const fresh = new DOMParser().parseFromString(await answer.text(), "text/html");
    const changed = every(control, document).filter((element) => value(element) !== first(element));
    const typed = changed.map((element) => [element.id, value(element)]);
    // A form that somebody is filling in stays as it was read, so that saving it tells what others saved meanwhile.
    const parts = changed.some((element) => element.closest(".form")) ? [".menu", ".change", ".switch"] : [".menu", "main", ".change", ".switch"];
    const open = every("details[open] > summary", document).map((summary) => summary.textContent);
    const focus = document.activeElement && document.activeElement.id;
    for (const part of parts) {
      const [before, after] = [document.querySelector(part), fresh.querySelector(part)];
      if (before && after) before.replaceWith(after);
      else if (before) before.remove();
      else if (after) document.querySelector(".middle").append(after);
    }
    for (const [id, to] of typed) {
      const element = document.getElementById(id);
      if (element && isTick(element)) element.checked = to;
      else if (element) element.value = to;
    }
    for (const summary of every("summary", document)) if (open.includes(summary.textContent)) summary.parentElement.open = true;
    if (focus && document.getElementById(focus)) document.getElementById(focus).focus({ preventScroll: true });
    document.documentElement.dataset.redrawn = String(Number(document.documentElement.dataset.redrawn || 0) + 1);
  };
  // What a field offers, found while a text is typed: the form is asked as its button would, and nothing else of it changes.
  const find = async (input) => {
    const [form, within] = [input.form, input.closest(".find")];
    const body = new URLSearchParams(new FormData(form));
    body.append("find", within.querySelector("button").value);
    const asked = input.value;
    const answer = await fetch(form.action, { method: "POST", body });
    if (!answer.ok || input.value !== asked) return;
    const fresh = new DOMParser().parseFromString(await answer.text(), "text/html").getElementById(within.dataset.of);
    const offered = document.getElementById(within.dataset.of);
    if (!fresh || !offered) return;
    const chosen = offered.value;
    offered.replaceChildren(...fresh.childNodes);
    // Options that move from one list to another forget which was chosen.
    if (offered.tagName === "SELECT") offered.value = chosen;
    const found = offered.querySelectorAll("option:not([value='']), input").length;
    within.querySelector(".found").textContent = found === 1 ? "1 offered" : `${found} offered`;
  };
  let waiting;
  document.addEventListener("input", (event) => {
    if (!event.target.matches(".find input[type=search]")) return;
    clearTimeout(waiting);
    waiting = setTimeout(find, 250, event.target);
  });

  const live = new EventSource("/live");
  live.addEventListener("message", redraw);
  addEventListener("pagehide", () => live.close());
})();
