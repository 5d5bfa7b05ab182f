<!doctype html>
<html lang="en">
<?php /* The title passes through whoever has something to add. */ ?>
<head><title><?= orchard_ripen('page_title', $title) ?></title></head>
<body>
<?php orchard_shake('page_top'); ?>
<main><?= $body ?></main>
<?php orchard_show_bed('aside'); ?>
<?php /* The foot: credits, opening hours. */ ?>
<?php orchard_shake('page_foot'); ?>
</body>
</html>
