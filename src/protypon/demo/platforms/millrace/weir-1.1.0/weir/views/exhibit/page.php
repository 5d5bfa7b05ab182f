<!doctype html>
<html lang="en">
<body class="exhibit">
<?php mill_turn('page_top', $kind); ?>
<article><h1><?= $title ?></h1><?= $body ?></article>
<?php mill_view('views/parts/board.php'); ?>
</body>
</html>
