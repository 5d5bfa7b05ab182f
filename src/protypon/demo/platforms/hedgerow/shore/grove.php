<?php
/* Shore: the base. Everything here can be declared before by a theme that is nearer. */

hedgerow_sheet('styles/shore.css');
hedgerow_season('row_length', 4);
hedgerow_plant('picture-size', 'leaf', 240);
hedgerow_plant('picture-size', 'tree', 1400);
hedgerow_bed('aside');

if (!function_exists('shore_credit')) {
    /** The line at the foot of every page. */
    function shore_credit() {
        echo '<p class="credit">Shore, by the Federation</p>';
    }
}

/** Text of the page title. */
function shore_title($title) {
    return $title . ' – Federation of Small Coastal Museums';
}

hedgerow_graft('page_foot', 'shore_credit', 90);
hedgerow_graft('page_title', 'shore_title');
