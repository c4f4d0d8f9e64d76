// Languages writes the names of months and weekdays in the languages that dates are read and
// written in, as Go data, from the Unicode CLDR as a package of locales has it. It is a module of
// its own, since nothing else needs that package.
//
//	cd tools/languages && go run . ../../internal/core/language/data.go
package main

import (
	"fmt"
	"log"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/go-playground/locales"
	"github.com/go-playground/locales/bg"
	"github.com/go-playground/locales/ca"
	"github.com/go-playground/locales/cs"
	"github.com/go-playground/locales/da"
	"github.com/go-playground/locales/de"
	"github.com/go-playground/locales/el"
	"github.com/go-playground/locales/en"
	"github.com/go-playground/locales/es"
	"github.com/go-playground/locales/et"
	"github.com/go-playground/locales/fi"
	"github.com/go-playground/locales/fr"
	"github.com/go-playground/locales/hr"
	"github.com/go-playground/locales/hu"
	"github.com/go-playground/locales/is"
	"github.com/go-playground/locales/it"
	"github.com/go-playground/locales/ja"
	"github.com/go-playground/locales/lt"
	"github.com/go-playground/locales/lv"
	"github.com/go-playground/locales/nb"
	"github.com/go-playground/locales/nl"
	"github.com/go-playground/locales/pl"
	"github.com/go-playground/locales/pt"
	"github.com/go-playground/locales/ro"
	"github.com/go-playground/locales/ru"
	"github.com/go-playground/locales/sk"
	"github.com/go-playground/locales/sl"
	"github.com/go-playground/locales/sv"
	"github.com/go-playground/locales/uk"
	"golang.org/x/text/unicode/norm"
)

// sources are the locales, in the order of the table.
var sources = []locales.Translator{en.New(), de.New(), fr.New(), es.New(), it.New(), pt.New(), nl.New(), da.New(), sv.New(), nb.New(), fi.New(), is.New(), pl.New(), cs.New(), sk.New(), sl.New(), hr.New(), hu.New(), ro.New(), et.New(), lv.New(), lt.New(), ca.New(), el.New(), bg.New(), ru.New(), uk.New(), ja.New()}

// standalone are the nominatives of months that CLDR keeps for those that stand alone, where
// they differ from those in a date; the package lacks them.
var standalone = map[string]string{
	"pl": "styczeń luty marzec kwiecień maj czerwiec lipiec sierpień wrzesień październik listopad grudzień",
	"cs": "leden únor březen duben květen červen červenec srpen září říjen listopad prosinec",
	"sk": "január február marec apríl máj jún júl august september október november december",
	"hr": "siječanj veljača ožujak travanj svibanj lipanj srpanj kolovoz rujan listopad studeni prosinac",
	"fi": "tammikuu helmikuu maaliskuu huhtikuu toukokuu kesäkuu heinäkuu elokuu syyskuu lokakuu marraskuu joulukuu",
	"lt": "sausis vasaris kovas balandis gegužė birželis liepa rugpjūtis rugsėjis spalis lapkritis gruodis",
	"el": "Ιανουάριος Φεβρουάριος Μάρτιος Απρίλιος Μάιος Ιούνιος Ιούλιος Αύγουστος Σεπτέμβριος Οκτώβριος Νοέμβριος Δεκέμβριος",
	"ru": "январь февраль март апрель май июнь июль август сентябрь октябрь ноябрь декабрь",
	"uk": "січень лютий березень квітень травень червень липень серпень вересень жовтень листопад грудень",
}

// short are other forms of months that people write, each behind its number.
var short = map[string]string{
	"de": "1Jan 1Jän 1Jänner 2Feber 3Mär 3Mrz 6Jun 7Jul 9Sep", "en": "9Sept", "fr": "2fév 7jul 7juill 8aou",
	"es": "9sep 9set 9setiembre", "it": "9sett", "nl": "3maa", "sv": "3mar 6jun 7jul 9sept", "pt": "9sete",
	"fi": "1tammi 2helmi 3maalis 4huhti 5touko 6kesä 7heinä 8elo 9syys 10loka 11marras 12joulu", "hu": "2feb 3már 9szep",
}

// otherWeekdays are weekdays as they are written besides, each behind its number from Monday.
var otherWeekdays = map[string]string{
	"en": "2tues 4thur 4thurs",
	"fi": "1maanantai 2tiistai 3keskiviikko 4torstai 5perjantai 6lauantai 7sunnuntai",
}

// plain is a name without what is joined to it in a date, such as de in Catalan.
func plain(name string) string {
	for _, p := range []string{"de ", "d’", "d'"} {
		name = strings.TrimPrefix(name, p)
	}
	return name
}

// row is a language's line of the table.
func row(l locales.Translator) string {
	code := l.Locale()
	var wide, abbreviated, days, shortDays, others []string
	for m := time.January; m <= time.December; m++ {
		wide, abbreviated = append(wide, plain(l.MonthWide(m))), append(abbreviated, plain(l.MonthAbbreviated(m)))
	}
	for d := 1; d <= 7; d++ {
		day := time.Weekday(d % 7)
		days, shortDays = append(days, l.WeekdayWide(day)), append(shortDays, l.WeekdayAbbreviated(day))
		if len(l.WeekdaysShort()) == 7 && len([]rune(l.WeekdayShort(day))) > 1 {
			others = append(others, fmt.Sprint(d, l.WeekdayShort(day)))
		}
	}
	others = append(others, strings.Fields(otherWeekdays[code])...)
	slices.SortStableFunc(others, func(a, b string) int { return int(a[0]) - int(b[0]) })
	text := "\t{"
	for _, s := range []string{code, strings.Join(wide, " "), strings.Join(abbreviated, " "), standalone[code], short[code],
		strings.Join(days, " "), strings.Join(shortDays, " "), strings.Join(others, " ")} {
		text += fmt.Sprintf("%q, ", s)
	}
	return strings.TrimSuffix(text, ", ") + "},\n"
}

// unmarked are letters that Unicode doesn't take apart into one without a mark and the mark.
var unmarked = map[rune]rune{'ø': 'o', 'ł': 'l', 'đ': 'd', 'ð': 'd', 'æ': 'a', 'ı': 'i'}

// pairs are the letters of the table with marks, each followed by the one without.
func pairs(table string) string {
	var list []string
	for _, r := range table {
		bare := []rune(norm.NFD.String(string(r)))[0]
		if u := unmarked[r]; u != 0 {
			bare = u
		}
		if pair := string(r) + string(bare); bare != r && r >= 0x80 && !slices.Contains(list, pair) {
			list = append(list, pair)
		}
	}
	slices.Sort(list)
	return strings.Join(list, "")
}

func main() {
	if len(os.Args) != 2 {
		log.Fatal("languages: name the file to write")
	}
	table := ""
	for _, l := range sources {
		table += row(l)
	}
	text := "// Code generated by tools/languages from github.com/go-playground/locales v0.14.2 (Unicode CLDR). DO NOT EDIT.\n\n" +
		"package language\n\nvar all = []Language{\n" + table + "}\n\n" +
		"// bareLetters are letters with marks, each followed by the one without.\n" +
		fmt.Sprintf("const bareLetters = %q\n", pairs(strings.ToLower(table)))
	if err := os.WriteFile(os.Args[1], []byte(text), 0o644); err != nil {
		log.Fatal(err)
	}
}
