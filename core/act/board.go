package act

import "jauntylark/core/board"

// BoardSaving is a board as it is to be, published at once.
type BoardSaving struct {
	Title  string       `json:"title,omitempty" required:"false" maxLength:"80"`
	Shared bool         `json:"shared,omitempty" required:"false" doc:"everybody who can sign in sees it"`
	Tiling board.Tiling `json:"tiling"`
	Note   string       `json:"note,omitempty" required:"false" maxLength:"200" doc:"what was changed"`
}

// BoardChange says what a board is called and who sees it; what is left out stays.
type BoardChange struct {
	Title  *string `json:"title,omitempty" required:"false" maxLength:"80"`
	Shared *bool   `json:"shared,omitempty" required:"false"`
}
