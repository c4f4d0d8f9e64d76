package tabular

import (
	"strings"
)

// WordKind is what a word among dates says.
type WordKind int

// The kinds of words among dates.
const (
	UnknownWord  WordKind = iota // nothing that is known
	OpenWord                     // that a range is still open, so it is offered for one
	NeverWord                    // that there is no date, and never will be, or not yet
	DoubtfulWord                 // either
)

// dateWords are words among dates by what they say, in eight languages, folded.
var dateWords = map[WordKind]string{
	OpenWord: `present, ongoing, on-going, current, currently, to date, until further notice, open-ended, open ended, indefinite, indefinitely, rolling, continuing, no end date, no end, permanent, perpetual,
laufend, fortlaufend, bis auf weiteres, b. a. w., b.a.w., unbefristet, bis heute, aktuell, derzeit, andauernd,
en cours, à ce jour, jusqu'à nouvel ordre, actuel, actuellement, indéterminé, indéterminée, durée indéterminée, cdi, sans fin,
actual, actualidad, en curso, vigente, indefinido, indefinida, hasta la fecha, hasta nuevo aviso, sin fin,
in corso, attuale, ad oggi, fino a nuovo avviso, a tempo indeterminato, indeterminato, tuttora,
heden, lopend, huidig, tot op heden, tot nader order, onbepaald, onbepaalde tijd, doorlopend,
obecnie, w toku, do odwołania, bezterminowo, czas nieokreślony, do dziś, nadal,
pågående, tills vidare, tillsvidare, nuvarande, till dags dato, löpande, fortfarande`,
	NeverWord: `cancelled, canceled, terminated, ended, closed, void, withdrawn, deleted, expired, lapsed, left, leaver, resigned, n/a, na, nil, tbc, tbd, tba, unknown, pending, postponed, to be confirmed, to be decided, to be announced, not applicable,
storniert, gekündigt, beendet, aufgehoben, ungültig, abgelaufen, ausgeschieden, gelöscht, entfällt, k. a., k.a., unbekannt, noch offen, abgesagt,
annulé, annulée, résilié, résiliée, terminé, terminée, clos, expiré, expirée, supprimé, nul, parti, s.o., sans objet, à confirmer, à définir, n.c., inconnu, néant,
cancelado, cancelada, anulado, rescindido, terminado, finalizado, vencido, baja, nulo, n/d, no aplica, por confirmar, desconocido,
annullato, disdetto, cessato, terminato, scaduto, nullo, n.a., non applicabile, da confermare, da definire, sconosciuto,
geannuleerd, opgezegd, beëindigd, vervallen, verlopen, ongeldig, uit dienst, n.v.t., n.t.b., nog te bepalen, onbekend,
anulowano, anulowany, wypowiedziany, rozwiązany, zakończony, wygasł, nieważny, brak, nd., nie dotyczy, do potwierdzenia, do ustalenia, nieznany,
avbokad, inställd, uppsagd, avslutad, upphörd, utgången, ogiltig, makulerad, ej aktuellt, saknas, ej bestämt, okänd`,
	DoubtfulWord: `-, --, –, —, …, ..., none, x, ∞, open, offen, today, heute, active, aktiv, ?, *`,
}

// wordKinds are the kinds of words, folded.
var wordKinds = func() map[string]WordKind {
	m := map[string]WordKind{}
	for kind, list := range dateWords {
		for _, w := range strings.Split(list, ",") {
			m[foldWord(w)] = kind
		}
	}
	return m
}()

// foldWord is a cell's text without what doesn't count in a word: case, blanks, brackets and dots
// around it.
func foldWord(text string) string {
	text = strings.ToLower(strings.Join(strings.Fields(text), " "))
	if bare := strings.Trim(text, " .()[]*"); bare != "" {
		return bare
	}
	return text
}

// KindOfWord is what a word among dates says.
func KindOfWord(text string) WordKind { return wordKinds[foldWord(text)] }

// headingWords are words of headings that aren't ASCII: they tell encodings apart.
var headingWords = func() map[string]bool {
	m := map[string]bool{}
	for _, w := range strings.Fields(`für fällig fälligkeit beschäftigte präsenz straße kündigung zurück änderung verträge prénom début échéance société durée
congé férié employé année numéro año número días señal inicio niño período início término férias imię święto początek zakończenie ważne wynagrodzenie płatność dzień miesiąc nazwisko świeto
urlop umowę jméno příjmení začátek svátek splatnost výplata kezdete vége ünnep név fizetés början förfallodag lön påsk löner fødselsdag lønning utløper början slutar början ferieår
дата начало конец праздник имя зарплата срок ημερομηνία έναρξη λήξη αργία 氏名 日付 開始 終了 祝日 支払日 名前 開始日 終了日 期間 給与 会社 曜日`) {
		m[w] = true
	}
	return m
}()

// knownWordScore is how much a word that isn't ASCII speaks for the encoding it was read in.
func knownWordScore(word string) int {
	if fold := strings.ToLower(word); KindOfWord(word) != UnknownWord || totalWords[fold] || headingWords[fold] {
		return 20
	}
	return 0
}
