<?php
/*
 * The works of Weir. A child's own works run after these.
 */

mill_draw('gears/hours.php');                   // looked for from the child on
require_once __DIR__ . '/gears/board.php';      // always this very file

/** The frame round the top of a page: opened before anything else there. */
function weir_open_frame() {
    echo '<div class="frame">';
}

/** Greets by the time of day. */
function weir_greeting($kind) {
    echo '<p class="greeting">Welcome to the mill</p>';
}

/** Closes the frame again, after everything else. */
function weir_close_frame() {
    echo '</div>';
}

mill_engage('page_top', 'weir_open_frame', 90);
mill_engage('page_top', 'weir_greeting', 20);
mill_engage('page_top', 'weir_close_frame', 1);

/** Prices are kept in pence and shown in pounds. */
function weir_pounds($pence) {
    return '£' . $pence;
}
mill_engage('price', 'weir_pounds');

/** What every view knows besides the page. */
function weir_lend_views() {
    mill_lend('wheel_turns', true);
    mill_set('grain_per_day', 12);
}
mill_engage('sluice_open', 'weir_lend_views');
