<?php
/* Opening hours. A child may have a gears/hours.php of its own: this file is looked for from the child on. */

/** The opening hours, as one line. */
function weir_opening_hours($season) {
    return $season === 'summer' ? '10–18' : '11–15';
}
