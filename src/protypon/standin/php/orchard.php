<?php
/* Orchard: the child's grove first, so that guarded functions of its parents give way; lower numbers first. */
require __DIR__ . '/host.php';

function orchard_graft($point, $callback, $order = 0, $takes = PHP_INT_MAX) { Host::attach($point, $callback, $order, $takes); }
function orchard_prune($point, $callback, $order = 0) { return Host::detach($point, $callback, $order); }
function orchard_prune_all($point) { Host::$points[$point] = []; }
function orchard_grafted($point, $callback) { return Host::attached($point, $callback); }
function orchard_shake($point, ...$given) { Host::fire($point, $given, false); }
function orchard_ripen($point, $value, ...$given) { return Host::fire($point, [$value, ...$given], true); }
function orchard_fetch($file) { Host::draw($file); }
function orchard_leaf($file) { Host::view($file); }
function orchard_bed($name) { Host::$regions[] = $name; }
function orchard_plant($kind, $name, $value = null) { Host::$items[$kind][$name] = $value; }
function orchard_uproot($kind, $name) { unset(Host::$items[$kind][$name]); }
function orchard_season($name, $value) {
    if (!array_key_exists($name, Host::$values)) {
        Host::$values[$name] = $value;
    }
}
function orchard_season_of($name, $fallback = null) { return Host::$values[$name] ?? Host::$ownValues[$name] ?? $fallback; }
function orchard_sheet($file) { Host::$sheets[] = $file; }
function orchard_give($name, $value = null) { Host::$given[$name] = $value; }
function orchard_page() { return Host::$kind; }
function orchard_title() { return 'A title'; }
function orchard_show_bed($name) {
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
