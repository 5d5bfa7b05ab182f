<?php
/* Records what a page of a test site really runs: files, functions, classes, constants, the fatal error. Nothing is sent anywhere.
 *
 * Put it in:   php.ini, .user.ini or the command line:  auto_prepend_file = /path/to/this/file
 * Take it out: remove that line again, and this file. It changes nothing of the site.
 *
 * After each request one JSON file is left in the folder named below. It can't see what PHP itself does not know: which callback
 * ran when, unless an expression below says so; code that another process runs; what a cache answered without running any.
 */
(static function () {
    $folder = getenv('PROTYPON_RECORDED') ?: __DIR__ . '/recorded';
    $report = static function () use ($folder) {
        $error = error_get_last();
        $fatal = $error && in_array($error['type'], [E_ERROR, E_PARSE, E_COMPILE_ERROR, E_CORE_ERROR, E_USER_ERROR], true) ? $error : null;
        $functions = $classes = [];
        foreach (get_defined_functions()['user'] as $name) {
            $function = new ReflectionFunction($name);
            $functions[$function->getName()] = [(string) $function->getFileName(), (int) $function->getStartLine()];
        }
        foreach ([...get_declared_classes(), ...get_declared_interfaces(), ...get_declared_traits()] as $name) {
            $class = new ReflectionClass($name);
            if ($class->isUserDefined() && !$class->isAnonymous()) {
                $classes[$class->getName()] = [(string) $class->getFileName(), (int) $class->getStartLine()];
            }
        }
        $constants = array_filter(get_defined_constants(true)['user'] ?? [], static fn($value) => is_scalar($value) || $value === null);
        $asked = static function (callable $ask) {
            try {
                return $ask();
            } catch (Throwable $error) {
                return null;
            }
        };
        $label = static function ($callback) {
            if (is_string($callback)) {
                return $callback;
            }
            if (is_array($callback) && count($callback) === 2) {
                return (is_object($callback[0]) ? get_class($callback[0]) : $callback[0]) . '::' . $callback[1];
            }
            if ($callback instanceof Closure) {
                $function = new ReflectionFunction($callback);
                return 'closure ' . $function->getFileName() . ' ' . $function->getStartLine();
            }
            return is_object($callback) ? get_class($callback) . '::__invoke' : '?';
        };
        $points = $asked(static function () { return /*POINTS*/null/*END*/; });
        $shown = null;
        if (is_array($points)) {
            $shown = [];
            foreach ($points as $point => $rows) {
                foreach ((array) $rows as [$callback, $order]) {
                    $shown[$point][] = [$label($callback), $order];
                }
            }
        }
        $page = $asked(static function () { return /*PAGE*/null/*END*/; });
        $made = json_encode([
            'format' => 'protypon.recorded/1', 'page' => is_string($page) ? $page : null, 'php' => PHP_VERSION,
            'fatal' => $fatal ? [$fatal['message'], $fatal['file'], $fatal['line']] : null,
            'files' => get_included_files(), 'functions' => (object) $functions, 'classes' => (object) $classes, 'constants' => (object) $constants,
            'points' => $shown === null ? null : (object) $shown,
        ], JSON_INVALID_UTF8_SUBSTITUTE | JSON_PARTIAL_OUTPUT_ON_ERROR);
        is_dir($folder) || @mkdir($folder, 0700, true);
        $name = $folder . '/' . sprintf('%.6f-%d', microtime(true), getmypid());
        if (@file_put_contents($name . '.part', $made) !== false) {
            @rename($name . '.part', $name . '.json');
        }
    };
    // The last of all that are called at the end: those that the site registers meanwhile come before it.
    register_shutdown_function(static function () use ($report) {
        register_shutdown_function(static fn() => register_shutdown_function($report));
    });
})();
