// The table of joints: search, order by tree or by name, and picking one.
export function listenToJointTable(onPick) {
  document.body.addEventListener("input", (e) => {
    const table = e.target.closest(".joint-table");
    if (table) filter(table, e.target.value.trim().toLowerCase());
  });
  document.body.addEventListener("click", (e) => {
    const table = e.target.closest(".joint-table");
    if (!table) return;
    const button = e.target.closest(".by-name");
    if (button) order(table, button);
    const row = e.target.closest("tr[data-joint]");
    if (row) onPick(row.dataset.joint);
  });
}

// Who moves a piece: ordered by any of the columns, what does not move it folded away.
export function listenToPieceJoints(onPick) {
  document.body.addEventListener("click", (e) => {
    const box = e.target.closest(".piece-joints");
    if (!box) return;
    const by = e.target.closest("[data-order]");
    if (by) orderBy(box, by);
    const more = e.target.closest(".unfold");
    if (more) more.setAttribute("aria-pressed", box.classList.toggle("all"));
    const row = e.target.closest("tr[data-joint]");
    if (row) onPick(row.dataset.joint);
  });
}

function orderBy(box, button) {
  for (const other of box.querySelectorAll("[data-order]")) other.setAttribute("aria-pressed", other === button);
  const key = {
    tree: (row) => Number(row.dataset.tree),
    name: (row) => row.dataset.joint,
    share: (row) => -Number(row.dataset.share),
    harm: (row) => -Number(row.dataset.harm),
  }[button.dataset.order];
  const body = box.querySelector("tbody");
  body.append(...[...body.rows].sort((a, b) => (key(a) < key(b) ? -1 : key(a) > key(b) ? 1 : 0)));
}

function filter(table, wanted) {
  for (const row of table.querySelectorAll("tbody tr")) {
    row.hidden = !row.textContent.toLowerCase().includes(wanted);
  }
}

function order(table, button) {
  const byName = button.getAttribute("aria-pressed") !== "true";
  button.setAttribute("aria-pressed", byName);
  table.classList.toggle("by-names", byName);
  const body = table.querySelector("tbody");
  const key = (row) => (byName ? row.dataset.joint : Number(row.dataset.order));
  const rows = [...body.rows].sort((a, b) => (key(a) < key(b) ? -1 : 1));
  body.append(...rows);
}
