// Package rates has the Rates station: price lists as grids and curves, and price lists from elsewhere.
package rates

import (
	"context"
	"embed"
	"html/template"

	"diadrom/internal/shop/draft"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/till"

	"github.com/gin-gonic/gin"
)

// Files are the templates of these screens.
//
//go:embed templates/*.html
var Files embed.FS

// Till quotes the cart that the lists are shown with.
type Till interface {
	View(ctx context.Context, state *draft.State, slips till.Slips) (till.View, error)
	Draw(v *till.View, outOfBand bool) template.HTML
}

// Screens are the screens of the station.
type Screens struct {
	*shell.Shell
	draft shell.Editor
	db    Store
	till  Till
}

// New makes the screens of the station.
func New(sh *shell.Shell, d shell.Editor, db Store, t Till) *Screens {
	return &Screens{sh, d, db, t}
}

// Routes registers the addresses of these screens.
func (s *Screens) Routes(r gin.IRouter) {
	r.GET("/rates", s.firstRates)
	r.GET("/rates/:method", s.rates)
	r.POST("/rates/:method/:table/cell", s.editCell)
	r.POST("/rates/:method/:table/bounds", s.setBounds)
	r.POST("/rates/:method/:table/at", s.editBreak)
	r.POST("/rates/:method/:table/rows", s.addRow)
	r.POST("/rates/:method/:table/remove-row", s.removeRow)
	r.GET("/rates/:method/:table/read", shell.PartOf("/rates/:method"), s.readCurve)
	r.GET("/rates/:method/:table/warnings", shell.PartOf("/rates/:method"), s.warningsAgain)
	r.GET("/rates/:method/:table/aside", shell.PartOf("/rates/:method"), s.aside)
	r.POST("/rates/:method/:table/paste", s.pasteCells)
	r.POST("/rates/:method/:table/column-as", s.columnAs)
	r.POST("/rates/:method/:table/move-column", s.moveColumn)
	r.POST("/rates/:method/:table/shape", s.shapeTable)
	r.POST("/rates/:method/:table/remove", s.removeTable)
	r.POST("/rates/:method/lists", s.addTable)
	r.POST("/rates/:method/combine", s.combineTables)
	r.POST("/rates/:method/:table/columns", s.addColumn)
	r.POST("/rates/:method/:table/remove-column", s.removeColumn)
	r.POST("/rates/:method/:table/close-column", s.closeColumn)
	r.GET("/costs", s.firstCosts)
	r.POST("/costs", s.addCosts)
	r.POST("/costs/:cost", s.editCosts)
	r.POST("/costs/:cost/remove", s.removeCosts)
	r.GET("/rates-file", s.exportRates)
	s.tables().Routes(r)
	r.POST("/rates-file/:file/key", s.sendKey)
}
