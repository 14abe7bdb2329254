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

// Every refused request carries its reason as text.
document.body.addEventListener("htmx:responseError", (e) => {
  notice(e.detail.xhr.responseText || "The request was refused.");
});
document.body.addEventListener("htmx:sendError", () => notice("The server does not answer: is it still running?"));
