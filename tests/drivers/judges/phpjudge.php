<?php
// Reads lines "driver base64-of-text", hands each text to that driver, and says when it is done; `witness.c` says what it made of it.
error_reporting(0);
while (($line = fgets(STDIN)) !== false) {
    [$driver, $encoded] = explode(' ', trim($line) . ' ');
    $text = base64_decode($encoded);
    try {
        if ($driver === 'php-pgsql') pg_connect($text, PGSQL_CONNECT_FORCE_NEW);
        elseif ($driver === 'mysqli') {
            $a = json_decode($text, true, 512, JSON_THROW_ON_ERROR);
            mysqli_init()->real_connect($a['hostname'] ?? null, $a['username'] ?? null, $a['password'] ?? null, $a['database'] ?? null,
                $a['port'] ?? null, $a['socket'] ?? null);
        } else new PDO($text);
    } catch (Throwable $refused) {
    }
    echo "done\n";
}
