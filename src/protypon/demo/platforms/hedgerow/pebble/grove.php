<?php
/* Pebble: fewer pictures, more gravel. */

hedgerow_sheet('styles/pebble.css');
hedgerow_season('row_length', 2);

/** One size of picture is enough. */
function pebble_sizes() {
    hedgerow_uproot('picture-size', 'tree');
}
hedgerow_graft('rooted', 'pebble_sizes');
