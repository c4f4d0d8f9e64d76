package tabular

import (
	"fmt"
	"strings"

	"github.com/xuri/excelize/v2"

	"yoyaku/internal/files"
)

// BookProperties is what a workbook says of itself.
type BookProperties struct {
	PageHeader string // each printed page; "" for nothing
	Sheet      string // names the sheet, as far as a name may; "" for Sheet1
	// Title and AsOf, a day, are properties of the file.
	Title, AsOf string
}

// sheetName is a title as the name of a sheet: at most 31 characters, without those that
// are in references (ECMA-376, 18.2.19, and what spreadsheets refuse).
func sheetName(title string) string {
	name := strings.Map(func(r rune) rune {
		if strings.ContainsRune(`:\/?*[]`, r) {
			return '-'
		}
		if r < ' ' {
			return ' '
		}
		return r
	}, title)
	units, cut := 0, len(name)
	for i, r := range name {
		n := 1
		if r > 0xffff {
			n = 2
		}
		if units+n > 31 {
			cut = i
			break
		}
		units += n
	}
	name = strings.Trim(name[:cut], " ")
	if in := strings.Trim(name, "'"); in != name {
		name = strings.ReplaceAll(name, "'", "’") // none may be at an end
	}
	if name == "" || strings.EqualFold(name, "History") { // which programs keep for themselves
		return "Sheet1"
	}
	return name
}

// newBook makes a workbook with so many rows of heads, and its sheet; its temporary files
// lie in a folder. remove closes both.
func newBook(heads int, c BookProperties) (book *excelize.File, sheet string, remove func() error, err error) {
	dir, err := files.TempDir()
	if err != nil {
		return nil, "", nil, err
	}
	book = excelize.NewFile(excelize.Options{TmpDir: dir})
	remove = func() error {
		defer files.RemoveDir(dir)
		return book.Close()
	}
	if sheet = sheetName(c.Sheet); sheet != "Sheet1" {
		err = book.SetSheetName("Sheet1", sheet)
	}
	if err == nil {
		err = setPageLayout(book, sheet, heads, c.PageHeader)
	}
	if err == nil {
		err = book.SetDocProps(&excelize.DocProperties{Creator: "Yoyaku", LastModifiedBy: "Yoyaku", Title: c.Title,
			Description: "As of " + c.AsOf,
			Created:     c.AsOf + "T00:00:00Z", Modified: c.AsOf + "T00:00:00Z"})
	}
	if err == nil {
		err = book.SetAppProps(&excelize.AppProperties{Application: "Yoyaku"})
	}
	if err != nil {
		_ = remove()
	}
	return book, sheet, remove, err
}

// setPageLayout sets a sheet up for printing: landscape, as wide as the paper, the header on
// each page. A stream writes it as it finds it at its start.
func setPageLayout(book *excelize.File, sheet string, heads int, over string) error {
	landscape, yes, wide, high := "landscape", true, 1, 0
	if err := book.SetPageLayout(sheet, &excelize.PageLayoutOptions{Orientation: &landscape, FitToWidth: &wide,
		FitToHeight: &high}); err != nil {
		return err
	}
	if err := book.SetSheetProps(sheet, &excelize.SheetPropsOptions{FitToPage: &yes}); err != nil {
		return err
	}
	if over != "" {
		text := []rune("&C" + strings.ReplaceAll(over, "&", "&&"))
		if err := book.SetHeaderFooter(sheet,
			&excelize.HeaderFooterOptions{OddHeader: string(text[:min(len(text), 250)])}); err != nil {
			return err
		}
	}
	quoted := "'" + strings.ReplaceAll(sheet, "'", "''") + "'"
	return book.SetDefinedName(&excelize.DefinedName{Name: "_xlnm.Print_Titles", RefersTo: fmt.Sprintf("%s!$1:$%d",
		quoted, heads), Scope: sheet})
}
