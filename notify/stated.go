package notify

import (
	"context"

	"jauntylark/core/roster"
)

// Stated lets a carrier with little room bring statements too: what they come to, in sentences, made when they are
// sent.
type Stated struct {
	Carrier
	Facts
}

// Send makes one attempt.
func (s Stated) Send(ctx context.Context, n roster.Notice) Result {
	if n.Route.Statement != "" {
		sheet, err := s.Sheet(ctx, n.Route.Statement, n.Route.Period)
		if err != nil {
			return Result{Answer: "the statement could not be made: " + err.Error()}
		}
		form := roster.FormOf(n.Carrier, sheet.Message(), roster.MessageData{})
		n.Subject, n.Text = form.Subject, form.Text
	}
	return s.Carrier.Send(ctx, n)
}
