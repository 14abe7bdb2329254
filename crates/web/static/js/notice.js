// One clear message at a time, above everything, until it is closed or a few seconds pass.
const box = document.getElementById("notice");
let timer = 0;

export function notice(text) {
  box.querySelector("span").textContent = text;
  box.hidden = false;
  clearTimeout(timer);
  timer = setTimeout(() => { box.hidden = true; }, 12000);
}

box.querySelector("button").addEventListener("click", () => { box.hidden = true; });

// Every refused request carries its reason as text. It is listened for at the request itself: what is told at a button
// that was renewed while it waited for its answer reaches nobody.
document.body.addEventListener("htmx:beforeSend", (e) => {
  const { xhr } = e.detail;
  xhr.addEventListener("load", () => {
    if (xhr.status >= 400) notice(xhr.responseText || "The request was refused.");
  });
  xhr.addEventListener("error", () => notice("The server does not answer: is it still running?"));
});
