<?php
/* Runs programs, each in a process of its own: a list of paths as JSON in, for each what it printed, what it marked and how it ended. */
$programs = json_decode(stream_get_contents(STDIN), true);
ini_set('display_errors', '0');
function mark(...$given) { $GLOBALS['__marked'][] = is_string($given[0] ?? null) ? $given[0] : '?'; }
foreach ($programs as $number => $path) {
    $pair = stream_socket_pair(STREAM_PF_UNIX, STREAM_SOCK_STREAM, 0);
    $pid = pcntl_fork();
    if ($pid === 0) {
        set_time_limit(5);
        ini_set('memory_limit', '64M');
        ob_start();
        register_shutdown_function(function () use ($pair) {
            $error = error_get_last();
            $died = $error && in_array($error['type'], [E_ERROR, E_PARSE, E_COMPILE_ERROR, E_CORE_ERROR, E_USER_ERROR], true) ? $error['message'] : null;
            $out = '';
            while (ob_get_level() > 0) { $out = ob_get_clean() . $out; }
            fwrite($pair[1], json_encode([$out, $GLOBALS['__marked'] ?? [], $died], JSON_INVALID_UTF8_SUBSTITUTE));
            fclose($pair[1]);
        });
        (function ($__path) { include $__path; })($path);
        exit;
    }
    fclose($pair[1]);
    echo stream_get_contents($pair[0]), "\n";
    pcntl_waitpid($pid, $status);
}
