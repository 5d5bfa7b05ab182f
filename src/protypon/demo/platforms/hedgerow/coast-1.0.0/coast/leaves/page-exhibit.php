<!doctype html>
<html lang="en">
<head><title><?= hedgerow_ripen('page_title', $title) ?></title></head>
<body class="exhibit">
<?php hedgerow_shake('page_top'); ?>
<article><?= $body ?></article>
<?php hedgerow_shake('page_foot'); ?>
</body>
</html>
