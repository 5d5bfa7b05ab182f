<?php
/* Pebble: fewer pictures, more gravel. */

orchard_sheet('styles/pebble.css');
orchard_season('row_length', 2);

/** One size of picture is enough. */
function pebble_sizes() {
    orchard_uproot('picture-size', 'tree');
}
orchard_graft('rooted', 'pebble_sizes');
