<!doctype html>
<html lang="en">
<body>
<?php kiln_fire('top'); ?>
<h1><?= $title ?></h1>
<main><?= $body ?></main>
<p><?= kiln_temper('weight', 750) ?></p>
<?php kiln_shelf('aside'); ?>
<?php /* The foot of the page, the last lines first seen by nobody. */ ?>
<?php kiln_fire('foot'); ?>
</body>
</html>
