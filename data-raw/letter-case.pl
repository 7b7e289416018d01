# Writes src/core/letter-case-table.h: small and capital letters that stand for each other one to
# one (the Unicode Standard, UnicodeData.txt, simple case mappings), as runs of code points.
use strict; use warnings; use Unicode::UCD qw(charinfo);
my %runs = (upper => [], lower => []);
for my $code (0x41 .. 0x1FFFF) {
  next if $code >= 0x3400 && $code < 0xA000 || $code >= 0xAC00 && $code < 0xF900;
  my $info = charinfo($code) or next;
  for my $to (qw(upper lower)) {
    next if $info->{$to} eq '';
    my $delta = hex($info->{$to}) - $code;
    my $runs = $runs{$to};
    my $last = $runs->[-1];
    if ($last && $last->[3] == $delta) {
      my $step = $code - $last->[1];
      if ($step <= 2 && ($last->[0] == $last->[1] || $last->[2] == $step)) {
        $last->[1] = $code; $last->[2] = $step; next;
      }
    }
    push @$runs, [$code, $code, 1, $delta];
  }
}
print "// Made by data-raw/letter-case.pl from the Unicode Standard ", Unicode::UCD::UnicodeVersion(),
  ", UnicodeData.txt.\n#pragma once\n\nnamespace ledger {\n\n",
  "// Letters from `first` to `last`, each `step`th, that become another by `delta`.\n",
  "struct CaseRun {\n  int first, last, step, delta;\n};\n";
for my $to (qw(upper lower)) {
  my @texts = map { sprintf "{0x%X, 0x%X, %d, %d}", @$_ } @{$runs{$to}};
  my ($out, $line) = ("", "   ");
  for my $text (@texts) {
    if (length("$line $text,") > 98) { $out .= "$line\n"; $line = "   "; }
    $line .= " $text,";
  }
  print "\nconstexpr CaseRun kTo", ucfirst $to, "[] = {\n$out$line\n};\n";
}
print "\n}  // namespace ledger\n";
