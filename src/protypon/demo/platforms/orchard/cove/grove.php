<?php
/* Cove: our own hours, no credit line of others, no guide. */

orchard_sheet('styles/cove.css');

/** Ours comes first, so the guarded one of Coast gives way. */
function coast_hours() {
    echo '<p class="hours">Open when the flag is up</p>';
}

orchard_prune('page_top', 'coast_guide', 50);

/** The box is Coast's; we want none. */
function cove_tidy() {
    orchard_prune('page_top', 'coast_open_box', 1);
}
orchard_graft('in_blossom', 'cove_tidy');

/** Adds the name of the garden to the title. */
function cove_title($title) {
    if ($title) {
        return 'Cove: ' . $title;
    }
}
orchard_graft('page_title', 'cove_title', 5);
