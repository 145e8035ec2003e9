// Package products has the Products station: the table of products, shipping classes, boxes and what goes into them,
// and tables of products from elsewhere.
package products

import (
	"context"
	"embed"
	"sync"

	"diadrom/internal/core/store"
	"diadrom/internal/shop/draft"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/upload"

	"github.com/gin-gonic/gin"
)

// Files are the templates of these screens.
//
//go:embed templates/*.html
var Files embed.FS

// Draft is what these screens do with the draft.
type Draft interface {
	shell.Editor
	EditAt(ctx context.Context, revision int64, change func(*store.File) error) (*draft.State, error)
}

// Screens are the screens of the station.
type Screens struct {
	*shell.Shell
	draft      Draft
	db         upload.Store
	taking     sync.Map       // of uploads' ids to *takingGoods
	background sync.WaitGroup // what goes on after its request was answered
	fits       fits
}

// New makes the screens of the station.
func New(sh *shell.Shell, d Draft, db upload.Store) *Screens {
	return &Screens{Shell: sh, draft: d, db: db}
}

// Wait waits for what goes on after its request was answered.
func (s *Screens) Wait() { s.background.Wait() }

// Routes registers the addresses of these screens.
func (s *Screens) Routes(r gin.IRouter) {
	r.GET("/goods", s.goods)
	r.POST("/goods", s.addProduct)
	r.POST("/goods/cell", s.editProduct)
	r.POST("/goods/paste", s.pasteGoods)
	r.POST("/goods/set", s.setGoods)
	r.POST("/goods/setting", s.goodsSetting)
	r.POST("/goods/classes", s.addClass)
	r.POST("/goods/classes/:class", s.nameClass)
	r.POST("/goods/classes/:class/remove", s.removeClass)
	r.GET("/goods/boxes", s.boxes)
	r.POST("/goods/boxes", s.addBox)
	r.POST("/goods/boxes/cell", s.editBox)
	r.POST("/goods/boxes/paste", s.pasteBoxes)
	r.POST("/goods/boxes/usual", s.addUsualBox)
	r.POST("/goods/boxes/remove", s.removeBox)
	r.GET("/goods/file", s.exportGoods)
	s.tables().Routes(r)
	r.GET("/goods/file/:file/progress", s.goodsProgress)
	r.GET("/goods/file/:file/refused", s.refusedGoods)
}
