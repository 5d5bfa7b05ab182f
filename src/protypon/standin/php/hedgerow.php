<?php
/* Hedgerow: the child's grove first, so that guarded functions of its parents give way; lower numbers first. */
require __DIR__ . '/host.php';

function hedgerow_graft($point, $callback, $order = 0, $takes = PHP_INT_MAX) { Host::attach($point, $callback, $order, $takes); }
function hedgerow_prune($point, $callback, $order = 0) { return Host::detach($point, $callback, $order); }
function hedgerow_prune_all($point) { Host::$points[$point] = []; }
function hedgerow_grafted($point, $callback) { return Host::attached($point, $callback); }
function hedgerow_shake($point, ...$given) { Host::fire($point, $given, false); }
function hedgerow_ripen($point, $value, ...$given) { return Host::fire($point, [$value, ...$given], true); }
function hedgerow_fetch($file) { Host::draw($file); }
function hedgerow_leaf($file) { Host::view($file); }
function hedgerow_bed($name) { Host::$regions[] = $name; }
function hedgerow_plant($kind, $name, $value = null) { Host::$items[$kind][$name] = $value; }
function hedgerow_uproot($kind, $name) { unset(Host::$items[$kind][$name]); }
function hedgerow_season($name, $value) {
    if (!array_key_exists($name, Host::$values)) {
        Host::$values[$name] = $value;
    }
}
function hedgerow_season_of($name, $fallback = null) { return Host::$values[$name] ?? Host::$ownValues[$name] ?? $fallback; }
function hedgerow_sheet($file) { Host::$sheets[] = $file; }
function hedgerow_give($name, $value = null) { Host::$given[$name] = $value; }
function hedgerow_page() { return Host::$kind; }
function hedgerow_title() { return 'A title'; }
function hedgerow_show_bed($name) {
    Host::$shown[] = $name;
    if (in_array($name, Host::$regions, true)) {
        echo "<div class=\"bed\" id=\"$name\"></div>";
    }
}

Host::begin();
Host::$ownValues = ['row_length' => 3];
Host::$items = ['picture-size' => ['seed' => null]];
foreach (Host::$themes as $theme) {
    if (is_file($theme['folder'] . '/grove.php')) {
        (function ($file) { include $file; })($theme['folder'] . '/grove.php');
    }
}
Host::fire('rooted', [], false);
Host::fire('in_blossom', [], false);
if (Host::$kind !== '') {
    Host::render(['leaves/page-' . Host::$kind . '.php', 'leaves/page.php'], true);
}
