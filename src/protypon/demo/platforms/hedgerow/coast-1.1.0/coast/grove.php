<?php
/* Coast: opening hours, and a box round the top of the page. */

hedgerow_fetch('crates/guide.php');
hedgerow_sheet('styles/coast.css');
hedgerow_season('row_length', 6);

if (!function_exists('coast_hours')) {
    /** Opening hours at the foot of the page. */
    function coast_hours() {
        echo '<p class="hours">Open March to October</p>';
    }
}

/** Opens the box at the top. */
function coast_open_box() {
    echo '<div class="box">';
}

/** Closes the box at the top. */
function coast_close_box() {
    echo '</div>';
}

/** Everything is attached once all groves are rooted, so that a nearer theme can be in time. */
function coast_attach() {
    hedgerow_graft('page_foot', 'coast_hours', 20);
    hedgerow_graft('page_top', 'coast_open_box', 1);
    hedgerow_graft('page_top', 'coast_close_box', 99);
}
hedgerow_graft('rooted', 'coast_attach');
