<?php
/* The notice board. Pulled in by a fixed path: a copy in a child is never run. */

/** Tells when the wheel is stopped for repairs. */
function weir_repairs() {
    echo '<p class="repairs">The wheel turns on Sundays</p>';
}

mill_engage('notice_board', 'weir_repairs', 10);
