<section class="board">
<?php /* Notices: higher numbers come first. */ ?>
<?php mill_turn('notice_board'); ?>
</section>
