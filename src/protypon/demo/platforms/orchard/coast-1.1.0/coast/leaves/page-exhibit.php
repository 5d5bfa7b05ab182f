<!doctype html>
<html lang="en">
<head><title><?= orchard_ripen('page_title', $title) ?></title></head>
<body class="exhibit">
<?php orchard_shake('page_top'); ?>
<article><?= $body ?></article>
<?php orchard_shake('page_foot'); ?>
</body>
</html>
