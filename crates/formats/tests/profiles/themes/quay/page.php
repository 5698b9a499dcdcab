<?php
namespace Harbour;
use Harbour\Tides\Curve;

function page(\PDO $db): string {
    $rows = '';
    foreach ($db->query('select id, name from berths order by id') as $berth) {
        $curve = new Curve(Tides\levels($db, (int) $berth['id']));
        $rows .= row($berth['name'], $curve);
    }
    return "<!doctype html><title>Berths</title><table>$rows</table>";
}

function row(string $name, Curve $curve): string {
    $parity = Tides\even(strlen($name)) ? 'even' : 'odd';
    return sprintf('<tr class="%s"><td>%s<td>%.2f<td>%.3f</tr>', $parity, htmlspecialchars($name), $curve->highest(), $curve->crossing(0.0, 1.5));
}
