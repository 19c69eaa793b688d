package chart

import (
	"bytes"
	"fmt"
	"io"

	"codeberg.org/go-pdf/fpdf"
	"golang.org/x/image/font/gofont/goregular"

	"jauntylark/core/statement"
)

const pdfFont = "go"

// newPDF begins a document of A4 pages, whose texts may be in any alphabet that the font has.
func newPDF(title string) *fpdf.Fpdf {
	pdf := fpdf.New("P", "mm", "A4", "")
	pdf.AddUTF8FontFromBytes(pdfFont, "", goregular.TTF)
	pdf.SetTitle(title, true)
	pdf.SetCreator("Jaunty Lark", true)
	pdf.SetMargins(18, 16, 18)
	pdf.SetAutoPageBreak(true, 16)
	return pdf
}

// SheetPDF writes a sheet as a document (ISO 32000), with pictures, which are PNG, after its sentences.
func SheetPDF(to io.Writer, s *statement.Sheet, pictures ...[]byte) error {
	pdf := newPDF(s.Heading())
	pdf.AddPage()
	wide := 210.0 - 2*18
	pdf.SetTextColor(0x1f, 0x2a, 0x37)
	pdf.SetFont(pdfFont, "", 18)
	pdf.MultiCell(wide, 8, s.Title, "", "L", false)
	soft := func() { pdf.SetTextColor(0x52, 0x60, 0x6d); pdf.SetFont(pdfFont, "", 10) }
	plain := func() { pdf.SetTextColor(0x1f, 0x2a, 0x37); pdf.SetFont(pdfFont, "", 10) }
	soft()
	pdf.MultiCell(wide, 5, s.Words+" · "+s.Site, "", "L", false)
	pdf.Ln(3)
	plain()
	for _, says := range s.Says {
		pdf.MultiCell(wide, 5, says, "", "L", false)
		pdf.Ln(1)
	}
	for i, picture := range pictures {
		name := fmt.Sprint("picture", i)
		info := pdf.RegisterImageOptionsReader(name, fpdf.ImageOptions{ImageType: "PNG"}, bytes.NewReader(picture))
		if pdf.Err() {
			break
		}
		tall := wide * info.Height() / info.Width()
		if pdf.GetY()+tall > 281 {
			pdf.AddPage()
		}
		pdf.ImageOptions(name, 18, pdf.GetY()+3, wide, 0, false, fpdf.ImageOptions{ImageType: "PNG"}, 0, "")
		pdf.SetY(pdf.GetY() + tall + 6)
	}
	for i := range s.Tables {
		t := &s.Tables[i]
		pdf.Ln(4)
		pdf.SetFont(pdfFont, "", 12)
		pdf.MultiCell(wide, 6, t.Title, "", "L", false)
		soft()
		tableRow(pdf, wide, t.Columns)
		plain()
		for _, row := range t.Rows {
			tableRow(pdf, wide, row)
		}
	}
	pdf.Ln(6)
	soft()
	pdf.MultiCell(wide, 5, s.Site+", watched by Jaunty Lark", "", "L", false)
	return pdf.Output(to)
}

// tableRow writes cells of equal width beside each other, as tall as the tallest.
func tableRow(pdf *fpdf.Fpdf, wide float64, cells []string) {
	each := wide / float64(max(1, len(cells)))
	lines := 1
	for _, cell := range cells {
		lines = max(lines, len(pdf.SplitText(cell, each-2)))
	}
	tall := 5 * float64(lines)
	if pdf.GetY()+tall > 281 {
		pdf.AddPage()
	}
	top := pdf.GetY()
	for i, cell := range cells {
		pdf.SetXY(18+each*float64(i), top)
		pdf.MultiCell(each-1, 5, cell, "", "L", false)
	}
	pdf.SetDrawColor(0xdd, 0xe2, 0xe7)
	pdf.Line(18, top+tall+0.6, 18+wide, top+tall+0.6)
	pdf.SetXY(18, top+tall+1.2)
}
