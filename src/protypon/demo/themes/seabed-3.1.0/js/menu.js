// Opens and closes the menu on narrow screens.
document.querySelectorAll("[data-menu]").forEach((button) => {
  button.addEventListener("click", () => {
    const menu = document.getElementById(button.dataset.menu);
    menu.hidden = !menu.hidden;
  });
});
