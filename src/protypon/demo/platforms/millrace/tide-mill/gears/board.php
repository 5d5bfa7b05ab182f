<?php
/* Copied from Weir for one changed line. */

/** Tells when the wheel is stopped for repairs. */
function weir_repairs() {
    echo '<p class="repairs">The wheel turns with the ebb</p>';
}

mill_engage('notice_board', 'weir_repairs', 10);
