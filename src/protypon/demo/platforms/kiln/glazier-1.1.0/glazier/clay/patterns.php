<?php
/* Patterns for every tile. */

#[Glaze(at: 'warm')]
function glazier_lend_patterns() {
    kiln_hand('pattern', 'herring bone');
}
