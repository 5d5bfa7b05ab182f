<?php
/* Kiln: the last parent's fire first; hooks are attributes on functions, read when a file has run; manifests detach. */
require __DIR__ . '/host.php';

#[Attribute(Attribute::TARGET_FUNCTION | Attribute::IS_REPEATABLE)]
final class Glaze
{
    public function __construct(public string $at, public int $order = 30, public int $takes = PHP_INT_MAX) {}
}

function kiln_fire($point, ...$given) { Host::fire($point, $given, false); }
function kiln_temper($point, $value, ...$given) { return Host::fire($point, [$value, ...$given], true); }
function kiln_call($name, ...$given) { return Host::summon($name, '{prefix}_{name}', $given); }
function kiln_take($file) { Host::draw($file); }
function kiln_tile($file) { Host::view($file); }
function kiln_hand($name, $value = null) { Host::$given[$name] = $value; }
function kiln_page() { return Host::$kind; }
function kiln_title() { return 'A title'; }
function kiln_shelf($name) {
    Host::$shown[] = $name;
    if (in_array($name, Host::$regions, true)) {
        echo "<div class=\"shelf\" id=\"$name\"></div>";
    }
}

/** Attach the functions that have come since, in the order in which they were declared. */
function kiln_read_marks(array &$seen): void
{
    foreach (get_defined_functions()['user'] as $name) {
        if (!isset($seen[$name])) {
            $seen[$name] = true;
            $function = new ReflectionFunction($name);
            foreach ($function->getAttributes(Glaze::class) as $mark) {
                $glaze = $mark->newInstance();
                Host::attach($glaze->at, $function->getName(), $glaze->order, $glaze->takes);
            }
        }
    }
}

Host::begin();
$seen = array_fill_keys(get_defined_functions()['user'], true);
foreach (array_reverse(Host::$themes) as $theme) {
    Host::$regions = array_values(array_unique([...Host::$regions, ...($theme['regions'] ?? [])]));
    foreach (glob($theme['folder'] . '/*_fire.php') as $file) {
        (function ($file) { include $file; })($file);
        kiln_read_marks($seen);
    }
}
foreach (array_reverse(Host::$themes) as $theme) {
    foreach ($theme['detached'] ?? [] as $row) {
        [$point, $name] = explode('#', $row, 2) + ['', ''];
        Host::detach($point, $name, null);
    }
}
Host::fire('warm', [], false);
if (Host::$kind !== '') {
    Host::render(['tiles/page-' . Host::$kind . '.php', 'tiles/page.php'], false);
}
