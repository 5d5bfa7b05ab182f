<?php
/* Shore: the base. Everything here can be declared before by a theme that is nearer. */

orchard_sheet('styles/shore.css');
orchard_season('row_length', 4);
orchard_plant('picture-size', 'leaf', 240);
orchard_plant('picture-size', 'tree', 1400);
orchard_bed('aside');

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

orchard_graft('page_foot', 'shore_credit', 90);
orchard_graft('page_title', 'shore_title');
