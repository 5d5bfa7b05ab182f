<!doctype html>
<html lang="en">
<body class="exhibit">
<?php kiln_fire('top'); ?>
<article><h1><?= $title ?></h1><p class="pattern"><?= $pattern ?></p><?= $body ?></article>
<p class="hours"><?= kiln_call('hours') ?></p>
<?php kiln_shelf('pattern-book'); ?>
<?php kiln_fire('foot'); ?>
</body>
</html>
