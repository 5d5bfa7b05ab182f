<?php
/*
 * Tide Mill: what differs from Weir.
 */

/** The platform finds this one by its name. */
function tide_mill_opening_hours($season) {
    return 'two hours before high water';
}

/** Our own greeting in the place of Weir's. */
function tide_mill_greeting($kind) {
    echo '<p class="greeting">The tide turns our stones</p>';
}

mill_release('page_top', 'weir_greeting', 20);
mill_engage('page_top', 'tide_mill_greeting', 20);
mill_release('notice_board', 'weir_repairs', 10);
