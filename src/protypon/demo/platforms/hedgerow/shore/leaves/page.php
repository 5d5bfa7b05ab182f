<!doctype html>
<html lang="en">
<?php /* The title passes through whoever has something to add. */ ?>
<head><title><?= hedgerow_ripen('page_title', $title) ?></title></head>
<body>
<?php hedgerow_shake('page_top'); ?>
<main><?= $body ?></main>
<?php hedgerow_show_bed('aside'); ?>
<?php /* The foot: credits, opening hours. */ ?>
<?php hedgerow_shake('page_foot'); ?>
</body>
</html>
