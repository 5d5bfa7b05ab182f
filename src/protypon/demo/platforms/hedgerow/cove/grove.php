<?php
/* Cove: our own hours, no credit line of others, no guide. */

hedgerow_sheet('styles/cove.css');

/** Ours comes first, so the guarded one of Coast gives way. */
function coast_hours() {
    echo '<p class="hours">Open when the flag is up</p>';
}

hedgerow_prune('page_top', 'coast_guide', 50);

/** The box is Coast's; we want none. */
function cove_tidy() {
    hedgerow_prune('page_top', 'coast_open_box', 1);
}
hedgerow_graft('in_blossom', 'cove_tidy');

/** Adds the name of the garden to the title. */
function cove_title($title) {
    if ($title) {
        return 'Cove: ' . $title;
    }
}
hedgerow_graft('page_title', 'cove_title', 5);
