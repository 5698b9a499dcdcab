<?php
namespace Harbour;

require __DIR__ . '/plugins/tide-table/tides.php';
require __DIR__ . '/themes/quay/page.php';

$db = new \PDO('sqlite::memory:');
$db->exec('create table berths (id integer primary key, name text); create table tides (berth integer, hour integer, level real)');
$add = $db->prepare('insert into berths (name) values (?)');
foreach (range(1, 24) as $n) $add->execute(["North $n"]);
$add = $db->prepare('insert into tides values (?, ?, ?)');
foreach (range(1, 24) as $n) foreach (range(0, 23) as $h) $add->execute([$n, $h, sin($h / 4) * 2 + $n / 50]);
echo page($db);
