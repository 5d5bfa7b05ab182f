<?php
/* A site platform made from a platform file: one lineage's code, and one page, run by the interpreter; a report as JSON when all is over.
 *
 *     php host.php SPEC.json
 *
 * It knows nothing but what the file says. What is asked for by name and nobody has is a stub, which is told as such.
 */

/** Stands for what nobody knows: prints as nothing, takes any call. */
#[AllowDynamicProperties]
class Protypon_Stub implements ArrayAccess, IteratorAggregate, Countable
{
    public function __construct(...$given) {}
    public function __call($name, $given) { return new self; }
    public static function __callStatic($name, $given) { return new self; }
    public function __get($name) { return new self; }
    public function __toString(): string { return ''; }
    public function __invoke(...$given) { return new self; }
    public function offsetExists($at): bool { return true; }
    public function offsetGet($at): mixed { return new self; }
    public function offsetSet($at, $value): void {}
    public function offsetUnset($at): void {}
    public function getIterator(): Iterator { return new ArrayIterator([]); }
    public function count(): int { return 0; }
}

final class Protypon_Trial
{
    public static array $spec = [];
    public static array $points = [];
    public static array $rung = [];
    public static array $items = [];
    public static array $values = [];
    public static array $given = [];
    public static array $regions = [];
    public static array $printed = [];
    public static array $sheets = [];
    public static array $templates = [];
    public static array $once = [];
    public static array $own = [];
    public static array $warnings = [];
    public static bool $done = false;
    private static int $serial = 0;

    // Where things lie

    public static function slug(string $file): ?string
    {
        foreach (self::$spec['themes'] as $theme) {
            if (str_starts_with($file, $theme['folder'] . '/')) {
                return $theme['slug'];
            }
        }
        return null;
    }

    public static function shown(string $file): string
    {
        foreach (self::$spec['themes'] as $theme) {
            if (str_starts_with($file, $theme['folder'] . '/')) {
                return $theme['slug'] . '/' . substr($file, strlen($theme['folder']) + 1);
            }
        }
        return basename($file);
    }

    private static function asking(): string
    {
        foreach (debug_backtrace(DEBUG_BACKTRACE_IGNORE_ARGS) as $frame) {
            $slug = isset($frame['file']) ? self::slug($frame['file']) : null;
            if ($slug !== null) {
                return $slug;
            }
        }
        return self::$spec['themes'][0]['slug'];
    }

    /** The first path that a theme has; by the nearest theme, where that goes first. */
    private static function find(array $paths, string $nearest): ?string
    {
        if ($nearest === 'theme') {
            foreach (self::$spec['themes'] as $theme) {
                foreach ($paths as $path) {
                    if (is_file($theme['folder'] . '/' . $path)) {
                        return $theme['folder'] . '/' . $path;
                    }
                }
            }
            return null;
        }
        foreach ($paths as $path) {
            foreach (self::$spec['themes'] as $theme) {
                if (is_file($theme['folder'] . '/' . $path)) {
                    return $theme['folder'] . '/' . $path;
                }
            }
        }
        return null;
    }

    private static function tried(array $meaning, array $roles): array
    {
        $paths = [];
        foreach (is_array($roles['file'] ?? null) ? $roles['file'] : [$roles['file'] ?? ''] as $file) {
            if (is_string($file) && self::slug($file) !== null && is_file($file)) {
                return [$file];
            }
            foreach ($meaning['tries'] as $pattern) {
                $missing = false;
                $path = preg_replace_callback('/\{(\w+)\}/', function ($hole) use ($roles, $file, &$missing) {
                    $value = $hole[1] === 'file' ? $file : ($roles[$hole[1]] ?? null);
                    $missing = $missing || $value === null || $value === '' || $value === false;
                    return is_scalar($value) ? (string) $value : '';
                }, $pattern);
                if (!$missing) {
                    $paths[] = $path;
                }
            }
        }
        return $paths;
    }

    private static function looked(array $meaning, array $roles): ?string
    {
        $paths = self::tried($meaning, $roles);
        return isset($paths[0]) && str_starts_with($paths[0], '/') && is_file($paths[0]) ? $paths[0] : self::find($paths, $meaning['nearest']);
    }

    // Calls

    public static function call(string $name, array $given): mixed
    {
        $result = null;
        foreach (self::$spec['calls'][$name] as $meaning) {
            foreach (self::bound($meaning['arguments'], $given, $rest) as $roles) {
                $result = self::effect($meaning, $roles, $rest);
            }
        }
        return $result;
    }

    private static function bound(array $arguments, array $given, ?array &$rest): array
    {
        $tables = [[]];
        foreach ($arguments as $argument) {
            $found = [];
            if (isset($argument['keyword']) && array_key_exists($argument['keyword'], $given)) {
                $found = [$given[$argument['keyword']]];
                unset($given[$argument['keyword']]);
            } else {
                foreach ($given as $key => $value) {
                    if (is_int($key)) {
                        $found = [$value];
                        unset($given[$key]);
                        break;
                    }
                }
            }
            if (!$argument['entries']) {
                $role = $found ? [$argument['role'] => $found[0]] : ($argument['default'] === null ? [] : [$argument['role'] => $argument['default']]);
                $tables = array_map(fn($table) => [...$table, ...$role], $tables);
                continue;
            }
            $arrays = $argument['each'] ? array_values(is_array($found[0] ?? null) ? $found[0] : []) : [$found[0] ?? []];
            $next = [];
            foreach ($tables as $table) {
                foreach ($arrays as $array) {
                    $next[] = [...$table, ...self::entries($argument['entries'], $array)];
                }
            }
            $tables = $next;
        }
        $rest = array_values($given);
        return $tables;
    }

    private static function entries(array $entries, mixed $array): array
    {
        $roles = [];
        foreach ($entries as $entry) {
            $here = $array;
            $there = true;
            foreach (explode('.', $entry['keyword']) as $key) {
                $there = $there && is_array($here) && array_key_exists($key, $here);
                $here = $there ? $here[$key] : null;
            }
            if ($there) {
                $roles[$entry['role']] = $here;
            } elseif ($entry['default'] !== null) {
                $roles[$entry['role']] = $entry['default'];
            }
        }
        return $roles;
    }

    private static function effect(array $meaning, array $roles, array $rest): mixed
    {
        $name = $roles['name'] ?? '';
        switch ($meaning['does']) {
            case 'attach':
                self::attach($roles['point'], $roles['callback'] ?? null, $roles['order'] ?? 0, $roles['takes'] ?? PHP_INT_MAX);
                return true;
            case 'detach':
                return self::detach($roles['point'], $roles['callback'] ?? null, $meaning['ordered'] ? ($roles['order'] ?? null) : null);
            case 'clear':
                unset(self::$points[$roles['point']]);
                return true;
            case 'attached':
                foreach (self::$points[$roles['point']] ?? [] as $entry) {
                    if (self::id($entry['callback']) === self::id($roles['callback'] ?? null)) {
                        return true;
                    }
                }
                return false;
            case 'fire':
                return self::fire($roles['point'], array_key_exists('value', $roles) ? [$roles['value'], ...$rest] : $rest, $meaning['passes']);
            case 'exists':
                return function_exists($name);
            case 'summon':
                foreach (self::$spec['themes'] as $theme) {
                    $function = strtr(self::$spec['pattern'], ['{prefix}' => str_replace('-', '_', $theme['slug']), '{slug}' => $theme['slug'], '{name}' => $name]);
                    if (function_exists($function)) {
                        return $function(...$rest);
                    }
                }
                return null;
            case 'register':
                self::$items[$roles['kind']][$name] = $roles['value'] ?? null;
                return true;
            case 'unregister':
                unset(self::$items[$roles['kind']][$name]);
                return true;
            case 'default':
                if (!array_key_exists($name, self::$values)) {
                    self::$values[$name] = $roles['value'] ?? null;
                }
                return true;
            case 'value':
                return self::$values[$name] ?? self::$spec['own']['values'][$name] ?? $roles['fallback'] ?? null;
            case 'region':
                self::$regions[] = $name;
                return true;
            case 'print-region':
                self::$printed[] = $name;
                echo "<!-- region $name -->";
                return null;
            case 'provide':
                self::$given[$name] = $roles['value'] ?? null;
                return true;
            case 'pull':
                $file = self::looked($meaning, $roles);
                if ($file !== null && !($meaning['once'] && in_array($file, get_included_files(), true))) {
                    self::load($file);
                }
                return null;
            case 'part':
                $file = self::looked($meaning, $roles);
                if ($file !== null) {
                    self::show($file, is_array($roles['variables'] ?? null) ? $roles['variables'] : []);
                }
                return null;
            case 'find':
                $file = self::looked($meaning, $roles);
                return $file === null ? new Protypon_Stub : ($meaning['gives'] === 'address' ? self::address($file) : $file);
            case 'folder':
            case 'address':
                return self::placed($meaning, $roles);
            case 'sheet':
            case 'script':
                self::sheet($meaning, $roles);
                return true;
            case 'drop-sheet':
            case 'drop-script':
                unset(self::$sheets[substr($meaning['does'], 5)][$roles['handle'] ?? '']);
                return true;
            case 'translate':
                return $roles['words'] ?? '';
            case 'page':
                return array_key_exists('kind', $roles) ? $roles['kind'] == self::$spec['page']['kind'] : self::$spec['page']['kind'];
        }
        return null;
    }

    private static function address(string $file): string
    {
        return 'https://site.example/themes/' . self::shown($file);
    }

    private static function placed(array $meaning, array $roles): mixed
    {
        $number = $meaning['of'] === 'parent' ? 1 : 0;
        $slug = $meaning['of'] === 'asking' ? self::asking() : (self::$spec['themes'][$number]['slug'] ?? null);
        if ($slug === null) {
            return new Protypon_Stub;
        }
        $folder = array_column(self::$spec['themes'], 'folder', 'slug')[$slug];
        $base = $meaning['does'] === 'folder' ? $folder : 'https://site.example/themes/' . $slug;
        $file = (string) ($roles['file'] ?? '');
        return $file === '' ? $base : $base . '/' . ltrim($file, '/');
    }

    private static function sheet(array $meaning, array $roles): void
    {
        $file = $roles['file'] ?? null;
        $own = is_string($file) ? preg_replace('#^https://site\.example/themes/[^/]+/#', '', $file) : '';
        $handle = is_string($roles['handle'] ?? null) ? $roles['handle'] : $own;
        $old = self::$sheets[$meaning['does']][$handle] ?? null;
        if ($file === null || $file === '' || $file === false) {
            self::$sheets[$meaning['does']][$handle] = ['file' => $old['file'] ?? '', 'loads' => true];
        } elseif ($old !== null && $old['file'] !== '' && $meaning['again'] === 'ignored') {
            self::$sheets[$meaning['does']][$handle]['loads'] = $old['loads'] || $meaning['loads'];
        } else {
            $address = is_string($file) ? str_replace('https://site.example/themes/', '@', $file) : '';
            self::$sheets[$meaning['does']][$handle] = ['file' => $address, 'loads' => $meaning['loads'] || ($old['loads'] ?? false)];
        }
    }

    // Points

    private static function id(mixed $callback): string
    {
        if (is_string($callback)) {
            return strtolower($callback);
        }
        if (is_array($callback) && count($callback) === 2) {
            return is_object($callback[0]) ? spl_object_id($callback[0]) . '->' . strtolower($callback[1]) : strtolower($callback[0] . '::' . $callback[1]);
        }
        return is_object($callback) ? 'object ' . spl_object_id($callback) : 'nothing';
    }

    private static function label(mixed $callback): string
    {
        if (is_string($callback)) {
            return $callback;
        }
        if (is_array($callback) && count($callback) === 2) {
            return (is_object($callback[0]) ? get_class($callback[0]) : $callback[0]) . '::' . $callback[1];
        }
        if ($callback instanceof Closure) {
            $function = new ReflectionFunction($callback);
            return $function->getFileName() === false ? $function->getName() : 'closure ' . self::shown($function->getFileName()) . ' ' . $function->getStartLine();
        }
        return is_object($callback) ? get_class($callback) . '::__invoke' : '?';
    }

    public static function attach(mixed $point, mixed $callback, mixed $order, mixed $takes): void
    {
        self::$points[$point][] = ['order' => $order, 'serial' => self::$serial++, 'callback' => $callback, 'takes' => $takes];
    }

    public static function detach(mixed $point, mixed $callback, mixed $order): bool
    {
        $before = self::$points[$point] ?? [];
        self::$points[$point] = array_values(array_filter($before, fn($entry) =>
            !(($order === null || $entry['order'] === $order) && self::id($entry['callback']) === self::id($callback))));
        return count(self::$points[$point]) < count($before);
    }

    private static function inOrder(string $point): array
    {
        $entries = self::$points[$point] ?? [];
        $sign = self::$spec['descending'] ? -1 : 1;
        usort($entries, fn($a, $b) => [$sign * $a['order'], $a['serial']] <=> [$sign * $b['order'], $b['serial']]);
        return $entries;
    }

    public static function fire(mixed $point, array $given, bool $passes): mixed
    {
        $entries = self::inOrder($point);
        self::$rung[] = [$point, array_map(fn($entry) => self::label($entry['callback']), $entries)];
        foreach ($entries as $entry) {
            if (is_callable($entry['callback'])) {
                $result = ($entry['callback'])(...array_slice($given, 0, $entry['takes']));
                if ($passes) {
                    $given[0] = $result;
                }
            }
        }
        return $passes ? ($given[0] ?? null) : null;
    }

    // Files

    public static function load(string $file): void
    {
        if (self::$spec['scope'] === 'shared') {
            self::loadShared($file);
        } else {
            (static function () { include func_get_arg(0); })($file);
        }
    }

    private static function loadShared(string $file): void
    {
        extract($GLOBALS, EXTR_REFS | EXTR_SKIP);
        include $file;
        foreach (get_defined_vars() as $name => $value) {
            if ($name !== 'file' && $name !== 'GLOBALS') {
                $GLOBALS[$name] = $value;
            }
        }
    }

    public static function show(string $file, array $handed): void
    {
        self::$templates[] = self::shown($file);
        if (count(self::$templates) > 2000) {
            return;
        }
        $variables = [...array_fill_keys(self::$spec['own']['variables'], new Protypon_Stub), ...self::$given, ...$handed];
        (static function () { extract(func_get_arg(1)); include func_get_arg(0); })($file, $variables);
    }

    public static function marks(array &$seen): void
    {
        foreach (get_defined_functions()['user'] as $name) {
            if (isset($seen[$name])) {
                continue;
            }
            $seen[$name] = true;
            $function = new ReflectionFunction($name);
            foreach ($function->getAttributes() as $mark) {
                foreach (self::$spec['marks'][$mark->getName()] ?? [] as $meaning) {
                    foreach (self::bound($meaning['arguments'], $mark->getArguments(), $rest) as $roles) {
                        self::effect($meaning, ['name' => $function->getName(), ...$roles, 'callback' => $function->getName()], $rest);
                    }
                }
            }
        }
    }

    public static function run(): void
    {
        $spec = self::$spec;
        self::$items = array_map(fn($names) => array_fill_keys($names, null), $spec['own']['items']);
        $seen = array_fill_keys(get_defined_functions()['user'], true);
        $themes = $spec['order'] === 'parent-first' ? array_reverse($spec['themes']) : $spec['themes'];
        foreach ($themes as $theme) {
            foreach ($theme['load'] as $path) {
                self::load($theme['folder'] . '/' . $path);
                self::marks($seen);
            }
        }
        foreach (array_reverse($spec['themes']) as $theme) {
            foreach ($theme['detached'] as $row) {
                [$point, $name] = explode('#', $row, 2) + ['', ''];
                self::detach($point, $name, null);
            }
            self::$regions = [...self::$regions, ...$theme['regions']];
        }
        foreach ($spec['moments'] as $moment) {
            self::fire($moment[0], [], $moment[1]);
        }
        $file = $spec['page']['templates'] ? self::find($spec['page']['templates'], $spec['nearest']) : null;
        if ($file !== null) {
            self::show($file, []);
        }
        self::$done = true;
    }

    public static function report(): void
    {
        $error = error_get_last();
        $fatal = $error && in_array($error['type'], [E_ERROR, E_PARSE, E_COMPILE_ERROR, E_CORE_ERROR, E_RECOVERABLE_ERROR], true) ? $error : null;
        while (ob_get_level() > 0) {
            ob_end_clean();
        }
        $functions = $classes = $points = [];
        foreach (get_defined_functions()['user'] as $name) {
            $function = new ReflectionFunction($name);
            if (self::slug((string) $function->getFileName()) !== null) {
                $functions[$function->getName()] = [self::shown($function->getFileName()), $function->getStartLine()];
            }
        }
        foreach ([...get_declared_classes(), ...get_declared_interfaces(), ...get_declared_traits()] as $name) {
            $class = new ReflectionClass($name);
            if (!$class->isAnonymous() && self::slug((string) $class->getFileName()) !== null) {
                $classes[$class->getName()] = [self::shown($class->getFileName()), $class->getStartLine()];
            }
        }
        foreach (array_keys(self::$points) as $point) {
            $points[$point] = array_map(fn($entry) => [self::label($entry['callback']), $entry['order']], self::inOrder($point));
        }
        $files = array_values(array_map([self::class, 'shown'], array_filter(get_included_files(), fn($file) => self::slug($file) !== null)));
        fwrite(STDOUT, "\n" . json_encode([
            'fatal' => $fatal ? [$fatal['message'], self::shown($fatal['file']), $fatal['line']] : null,
            'ended' => !self::$done, 'functions' => (object) $functions, 'classes' => (object) $classes, 'points' => (object) $points,
            'rung' => self::$rung, 'items' => (object) self::$items, 'values' => (object) self::$values, 'given' => (object) self::$given,
            'regions' => self::$regions, 'printed' => self::$printed, 'sheets' => (object) self::$sheets, 'templates' => self::$templates, 'files' => $files, 'warnings' => self::$warnings,
            'constants' => (object) array_filter(array_intersect_key(get_defined_constants(), array_flip(self::$spec['asked'])), fn($value) => !is_object($value)),
            'globals' => (object) array_intersect_key($GLOBALS, array_flip(self::$spec['asked'])),
        ], JSON_INVALID_UTF8_SUBSTITUTE | JSON_PARTIAL_OUTPUT_ON_ERROR) . "\n");
    }
}

Protypon_Trial::$spec = json_decode(file_get_contents($argv[1]), true);
set_error_handler(static function ($kind, $words, $file, $line) {
    if (error_reporting() & $kind && count(Protypon_Trial::$warnings) < 100 && Protypon_Trial::slug($file) !== null) {
        Protypon_Trial::$warnings[] = [$words, Protypon_Trial::shown($file), $line];
    }
    return false;
});
ini_set('display_errors', '0');
error_reporting(E_ALL);
ob_start();
register_shutdown_function([Protypon_Trial::class, 'report']);
(static function () {
    $made = '';
    foreach (Protypon_Trial::$spec['declares'] as $name) {
        $at = strrpos($name, '\\');
        $inside = $at === false ? '' : substr($name, 0, $at);
        $bare = $at === false ? $name : substr($name, $at + 1);
        $known = isset(Protypon_Trial::$spec['calls'][$name]);
        $body = $known ? 'return \Protypon_Trial::call(' . var_export($name, true) . ', $given);' : 'return new \Protypon_Stub;';
        $made .= "namespace $inside { function $bare(...\$given) { $body } }\n";
    }
    foreach (Protypon_Trial::$spec['classes'] as $name) {
        $at = strrpos($name, '\\');
        $inside = $at === false ? '' : substr($name, 0, $at);
        $bare = $at === false ? $name : substr($name, $at + 1);
        $made .= "namespace $inside { class $bare extends \Protypon_Stub {} }\n";
    }
    foreach (array_keys(Protypon_Trial::$spec['marks']) as $name) {
        $made .= "namespace { #[\Attribute(\Attribute::TARGET_ALL | \Attribute::IS_REPEATABLE)] class $name { public function __construct(...\$given) {} } }\n";
    }
    foreach (Protypon_Trial::$spec['off'] as $name) {
        $made .= "namespace { if (!function_exists('$name')) { function $name(...\$given) { return false; } } }\n";
    }
    eval($made);
    foreach (Protypon_Trial::$spec['constants'] as $name) {
        defined($name) || define($name, new Protypon_Stub);
    }
})();
Protypon_Trial::run();
