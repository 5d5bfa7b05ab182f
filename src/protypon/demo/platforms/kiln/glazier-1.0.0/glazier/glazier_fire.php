<?php
/* Glazier: a frame at the top, and the pattern book. */

kiln_take('clay/patterns.php');

/** Opens the frame at the top. */
#[Glaze(at: 'top', order: 1)]
function glazier_open() {
    echo '<div class="glazed">';
}

/** Says what is being fired this week. */
#[Glaze(at: 'top', order: 10)]
function glazier_news() {
    echo '<p class="news">Salt glaze this week</p>';
}

/** Closes the frame at the top. */
#[Glaze(at: 'top', order: 99)]
function glazier_close() {
    echo '</div>';
}

/** The hours of the workshop. */
function glazier_hours() {
    return '9–12';
}
