<?php
/* Millrace: the parent's works first, higher numbers first, functions found by the theme's prefix. */
require __DIR__ . '/host.php';

function mill_engage($point, $callback, $order = 100, $takes = PHP_INT_MAX) { Host::attach($point, $callback, $order, $takes); }
function mill_release($point, $callback, $order = 100) { return Host::detach($point, $callback, $order); }
function mill_stop($point) { Host::$points[$point] = []; }
function mill_engaged($point, $callback) { return Host::attached($point, $callback); }
function mill_turn($point, ...$given) { Host::fire($point, $given, false); }
function mill_grind($point, $value, ...$given) { return Host::fire($point, [$value, ...$given], true); }
function mill_call($name, ...$given) { return Host::summon($name, '{prefix}_{name}', $given); }
function mill_draw($file) { Host::draw($file); }
function mill_view($file) { Host::view($file); }
function mill_lend($name, $value = null) { Host::$given[$name] = $value; }
function mill_here() {
    $file = debug_backtrace(DEBUG_BACKTRACE_IGNORE_ARGS, 1)[0]['file'];
    foreach (Host::$themes as $theme) {
        if (str_starts_with($file, $theme['folder'] . '/')) {
            return $theme['folder'];
        }
    }
}
function mill_foremost() { return Host::$themes[0]['folder']; }
function mill_page() { return Host::$kind; }
function mill_title() { return 'A title'; }
function mill_set($name, $value) { Host::$values[$name] ??= $value; }
function mill_value($name, $fallback = null) { return Host::$values[$name] ?? $fallback; }
function mill_region($name) {
    Host::$shown[] = $name;
    if (in_array($name, Host::$regions, true)) {
        echo "<div class=\"region\" id=\"$name\"></div>";
    }
}

Host::begin();
Host::$descending = true;
foreach (array_reverse(Host::$themes) as $theme) {
    Host::$regions = array_values(array_unique([...Host::$regions, ...($theme['regions'] ?? [])]));
    if (is_file($theme['folder'] . '/works.php')) {
        (function ($file) { include $file; })($theme['folder'] . '/works.php');
    }
}
Host::fire('sluice_open', [], false);
if (Host::$kind !== '') {
    Host::render(['views/' . Host::$kind . '/page.php', 'views/page.php'], false);
}
