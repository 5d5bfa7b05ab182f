<?php
/* A page of one of the PHP stand-ins, served by PHP's own web server on this machine only:
 *
 *     php -S 127.0.0.1:8000 -t THIS_FOLDER        and then  /site.php?platform=hedgerow&lineage=LINEAGE.json&kind=home
 */
$argv = [__FILE__, (string) ($_GET['lineage'] ?? ''), (string) ($_GET['kind'] ?? '')];
if (!in_array($_GET['platform'] ?? '', ['millrace', 'hedgerow', 'kiln'], true)) {
    http_response_code(404);
    return;
}
require __DIR__ . '/' . $_GET['platform'] . '.php';
