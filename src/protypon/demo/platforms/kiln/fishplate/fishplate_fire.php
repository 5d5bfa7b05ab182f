<?php
/* Fishplate: fish on every plate. */

/** Found by its name in the place of Glazier's. */
function fishplate_hours() {
    return 'when the boats are in';
}

/** Our own line at the foot. */
#[Glaze(at: 'foot', order: 10)]
function fishplate_market() {
    echo '<p class="market">Market on Friday</p>';
}
