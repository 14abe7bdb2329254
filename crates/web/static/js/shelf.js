// The Shelf, and the drop target wherever it stands.
import { notice } from "./notice.js";

export function listenForFiles(onIn) {
  const form = () => document.getElementById("drop");
  document.body.addEventListener("change", (e) => {
    if (e.target.id === "files" && e.target.files.length > 0) form().requestSubmit();
  });
  document.body.addEventListener("dragover", (e) => {
    if (!form()) return;
    e.preventDefault();
    form().classList.add("over");
  });
  document.body.addEventListener("dragleave", () => form()?.classList.remove("over"));
  document.body.addEventListener("drop", (e) => {
    if (!form()) return;
    e.preventDefault();
    form().classList.remove("over");
    // On the line of something worn it is that one's file, come back.
    const back = e.target.closest("[data-replace]")?.querySelector(".replace input[type=file]");
    if (back) {
      back.files = e.dataTransfer.files;
      back.dispatchEvent(new Event("change", { bubbles: true }));
      return;
    }
    document.getElementById("files").files = e.dataTransfer.files;
    form().requestSubmit();
  });
  const bar = () => document.getElementById("upload-progress");
  document.body.addEventListener("htmx:xhr:progress", (e) => {
    if (!bar() || !e.detail.lengthComputable) return;
    bar().hidden = false;
    bar().value = (100 * e.detail.loaded) / e.detail.total;
  });
  document.body.addEventListener("htmx:afterRequest", (e) => {
    if (e.target.id !== "drop") return;
    if (bar()) bar().hidden = true;
    document.getElementById("files").value = "";
    // What is wrong with some of the files, when others came in.
    if (e.detail.successful && e.detail.xhr.responseText) notice(e.detail.xhr.responseText);
  });
  document.body.addEventListener("brought-in", onIn);
}

if (document.body.classList.contains("shelf")) {
  listenForFiles(() => htmx.ajax("GET", "/", { target: ".shelf-page", select: ".shelf-page", swap: "outerHTML" }));
}
