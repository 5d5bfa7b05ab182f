<?php
/* Slipware: the fire that everything stands on. */

/** The line at the foot of every page. */
#[Glaze(at: 'foot', order: 90)]
function slipware_credit() {
    echo '<p class="credit">Fired by Slipware</p>';
}

/** Weights are given in kilograms. */
#[Glaze(at: 'weight')]
function slipware_weight($grams) {
    return $grams . ' g';
}
