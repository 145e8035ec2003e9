// Fields of one line that take a paste of many.

// Fields that take a paste of many lines, but are typed as one: Enter sends them.
document.addEventListener("keydown", (event) => {
  const field = event.target;
  if (event.key !== "Enter" || !field.matches || !field.matches("textarea[data-line]")) return;
  event.preventDefault();
  if (field.form) field.form.requestSubmit();
  else if (field.value !== field.defaultValue) field.blur();
  else htmx.trigger(field, "change");
});
