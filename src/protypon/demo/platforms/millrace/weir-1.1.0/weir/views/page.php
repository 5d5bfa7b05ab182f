<!doctype html>
<html lang="en">
<body class="<?= $kind ?>">
<?php /* Everything above the page's own text. */ ?>
<?php mill_turn('page_top', $kind); ?>
<h1><?= $title ?></h1>
<main><?= $body ?></main>
<?php mill_view('views/parts/board.php'); ?>
<?php if ($wheel_turns): ?><p class="wheel">The wheel is turning</p><?php endif; ?>
<p class="hours"><?= mill_call('opening_hours', 'summer') ?></p>
<p class="price"><?= mill_grind('price', 450) ?></p>
<?php mill_region('aside'); ?>
</body>
</html>
