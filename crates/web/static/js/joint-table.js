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
