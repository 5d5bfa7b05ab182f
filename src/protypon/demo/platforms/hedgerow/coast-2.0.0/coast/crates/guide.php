<?php
/* The garden guide: a nearer theme may have one of its own. */

/** The guide's opening line. */
function coast_guide() {
    echo '<p class="guide">Begin at the sea wall</p>';
}
hedgerow_graft('page_top', 'coast_guide', 50);
