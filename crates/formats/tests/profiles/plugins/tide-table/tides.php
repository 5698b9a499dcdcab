<?php
namespace Harbour\Tides;

function levels(\PDO $db, int $berth): array {
    $ask = $db->prepare('select level from tides where berth = ? order by hour');
    $ask->execute([$berth]);
    return $ask->fetchAll(\PDO::FETCH_COLUMN);
}

class Curve {
    public function __construct(private array $levels) {}
    public function highest(): float { return max(array_map('floatval', $this->levels)); }
    /** Halves the span until it is narrow: calls itself. */
    public function crossing(float $low, float $high, int $deep = 0): float {
        $middle = ($low + $high) / 2;
        return $deep > 12 ? $middle : (sin($middle) > 0.3 ? $this->crossing($low, $middle, $deep + 1) : $this->crossing($middle, $high, $deep + 1));
    }
}
/** Two that call each other. */
function even(int $n): bool { return $n === 0 || odd($n - 1); }
function odd(int $n): bool { return $n !== 0 && even($n - 1); }
