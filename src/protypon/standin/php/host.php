<?php
/* What the three PHP stand-ins share: one site's state, and a report of it as JSON when all is over, also after a fatal error.
 *
 *     php PLATFORM.php LINEAGE.json KIND
 *
 * LINEAGE.json: {"themes": [{"slug", "folder", "regions", "detached"}, ...]}, the child first.
 */

final class Host
{
    public static array $themes = [];
    public static string $kind = '';
    public static bool $descending = false;
    public static array $points = [];
    public static array $items = [];
    public static array $values = [];
    public static array $ownValues = [];
    public static array $given = [];
    public static array $regions = [];
    public static array $shown = [];
    public static array $sheets = [];
    public static array $rung = [];
    public static array $once = [];
    public static array $files = [];
    public static string $page = '';
    private static int $serial = 0;

    public static function begin(): void
    {
        global $argv;
        $data = json_decode(file_get_contents($argv[1]), true);
        self::$themes = $data['themes'];
        self::$kind = $argv[2] ?? '';
        ini_set('display_errors', '0');
        error_reporting(E_ALL);
        ob_start();
        register_shutdown_function([self::class, 'report']);
    }

    /** One identity for every way of writing the same callback. */
    public static function id(mixed $callback): string
    {
        if (is_string($callback)) {
            return strtolower($callback);
        }
        if (is_array($callback)) {
            return is_object($callback[0])
                ? spl_object_id($callback[0]) . '->' . strtolower($callback[1])
                : strtolower($callback[0] . '::' . $callback[1]);
        }
        return 'closure ' . spl_object_id($callback);
    }

    public static function label(mixed $callback): string
    {
        if (is_string($callback)) {
            return $callback;
        }
        if (is_array($callback)) {
            return (is_object($callback[0]) ? get_class($callback[0]) : $callback[0]) . '::' . $callback[1];
        }
        $function = new ReflectionFunction($callback);
        return 'closure ' . self::relative($function->getFileName()) . ' ' . $function->getStartLine();
    }

    public static function attach(string $point, mixed $callback, int $order, int $takes): void
    {
        self::$points[$point][] = ['order' => $order, 'serial' => self::$serial++, 'callback' => $callback, 'takes' => $takes];
    }

    public static function detach(string $point, mixed $callback, ?int $order): bool
    {
        $before = self::$points[$point] ?? [];
        self::$points[$point] = array_values(array_filter($before, fn($entry) =>
            !(($order === null || $entry['order'] === $order) && self::id($entry['callback']) === self::id($callback))));
        return count(self::$points[$point]) < count($before);
    }

    public static function attached(string $point, mixed $callback): bool
    {
        foreach (self::$points[$point] ?? [] as $entry) {
            if (self::id($entry['callback']) === self::id($callback)) {
                return true;
            }
        }
        return false;
    }

    public static function inOrder(string $point): array
    {
        $entries = self::$points[$point] ?? [];
        $sign = self::$descending ? -1 : 1;
        usort($entries, fn($a, $b) => [$sign * $a['order'], $a['serial']] <=> [$sign * $b['order'], $b['serial']]);
        return $entries;
    }

    /** Point => callbacks with their numbers, in order. */
    public static function standing(): array
    {
        $found = [];
        foreach (array_keys(self::$points) as $point) {
            $found[$point] = array_map(fn($entry) => [$entry['callback'], $entry['order']], self::inOrder($point));
        }
        return $found;
    }

    public static function fire(string $point, array $given, bool $passes): mixed
    {
        $entries = self::inOrder($point);
        self::$rung[] = [$point, array_map(fn($entry) => self::label($entry['callback']), $entries)];
        foreach ($entries as $entry) {
            if (is_callable($entry['callback'])) {
                $result = call_user_func_array($entry['callback'], array_slice($given, 0, $entry['takes']));
                if ($passes) {
                    $given[0] = $result;
                }
            }
        }
        return $passes ? $given[0] : null;
    }

    /** The nearest theme that has a file. */
    public static function find(string $path): ?string
    {
        foreach (self::$themes as $theme) {
            if (is_file($theme['folder'] . '/' . $path)) {
                return $theme['folder'] . '/' . $path;
            }
        }
        return null;
    }

    public static function draw(string $path): void
    {
        $file = self::find($path);
        if ($file !== null && !in_array($file, get_included_files(), true)) {
            include $file;
        }
    }

    public static function view(string $path): void
    {
        $file = self::find($path);
        if ($file !== null) {
            self::show($file);
        }
    }

    public static function show(string $file): void
    {
        self::$files[] = self::relative($file);
        extract(['title' => 'A title', 'body' => 'A body', 'kind' => self::$kind]);
        extract(self::$given);
        include $file;
    }

    public static function summon(string $name, string $pattern, array $given): mixed
    {
        foreach (self::$themes as $theme) {
            $function = strtr($pattern, ['{prefix}' => str_replace('-', '_', $theme['slug']), '{name}' => $name]);
            if (function_exists($function)) {
                return $function(...$given);
            }
        }
        return null;
    }

    public static function render(array $candidates, bool $nearestTheme): void
    {
        $found = array_values(array_filter(array_map([self::class, 'find'], $candidates)));
        if ($nearestTheme) {
            foreach (self::$themes as $theme) {
                foreach ($found as $file) {
                    if (str_starts_with($file, $theme['folder'] . '/')) {
                        self::show($file);
                        return;
                    }
                }
            }
        } elseif ($found) {
            self::show($found[0]);
        }
    }

    public static function relative(string $file): string
    {
        foreach (self::$themes as $theme) {
            if (str_starts_with($file, $theme['folder'] . '/')) {
                return $theme['slug'] . '/' . substr($file, strlen($theme['folder']) + 1);
            }
        }
        return $file;
    }

    public static function report(): void
    {
        $error = error_get_last();
        $fatal = $error && in_array($error['type'], [E_ERROR, E_PARSE, E_COMPILE_ERROR, E_CORE_ERROR], true) ? $error : null;
        $html = ob_get_clean();
        $functions = [];
        foreach (get_defined_functions()['user'] as $name) {
            $function = new ReflectionFunction($name);
            if (!str_starts_with($function->getFileName(), __DIR__ . '/')) {
                $functions[$function->getName()] = [self::relative($function->getFileName()), $function->getStartLine()];
            }
        }
        $points = [];
        foreach (array_keys(self::$points) as $point) {
            $points[$point] = array_map(fn($entry) => [self::label($entry['callback']), $entry['order']], self::inOrder($point));
        }
        echo json_encode([
            'fatal' => $fatal ? [$fatal['message'], self::relative($fatal['file']), $fatal['line']] : null,
            'functions' => (object) $functions, 'points' => (object) $points, 'items' => (object) self::$items,
            'values' => (object) (self::$values + self::$ownValues), 'regions' => self::$regions, 'shown' => self::$shown,
            'given' => array_keys(self::$given), 'sheets' => self::$sheets, 'rung' => self::$rung, 'files' => self::$files,
            'html' => $html,
        ], JSON_INVALID_UTF8_SUBSTITUTE | JSON_PARTIAL_OUTPUT_ON_ERROR), "\n";
    }
}
