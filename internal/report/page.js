const files = [...document.querySelectorAll("details.file")];
const rows = [...document.querySelectorAll(".index tr")].slice(1);
const filter = document.getElementById("filter"), shown = document.getElementById("shown");
for (const id of ["filter", "open", "close"]) if (filter) document.getElementById(id).hidden = false;
filter?.addEventListener("input", () => {
  let n = 0;
  files.forEach((file, i) => {
    const is = file.querySelector("summary").firstChild.data.includes(filter.value);
    file.hidden = rows[i].hidden = !is;
    n += is;
  });
  shown.textContent = filter.value ? `${n} of ${files.length}` : "";
});
for (const id of ["open", "close"]) document.getElementById(id)?.addEventListener("click", () => {
  for (const file of files) if (!file.hidden) file.open = id === "open";
});
const jump = () => { const file = document.getElementById(location.hash.slice(1)); if (file?.matches("details")) { file.open = true; file.scrollIntoView(); } };
addEventListener("hashchange", jump);
jump();
