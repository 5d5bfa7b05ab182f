// Draws the museum's place on the chart.
const holder = document.getElementById("map");
if (holder) {
  const picture = document.createElement("img");
  picture.alt = holder.dataset.place;
  picture.src = "/charts/" + encodeURIComponent(holder.dataset.place) + ".png";
  holder.append(picture);
}
