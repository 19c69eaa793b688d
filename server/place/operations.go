package place

import "jauntylark/server/web"

// Operations have the operations of each file answered.
var Operations = []func(*web.Server){
	arrivalsOperations, derivedOperations, devicesOperations, framesOperations, guardsOperations, kitsOperations,
	outputsOperations, readerOperations, removedOperations, signalsOperations, standinsOperations,
	trialsOperations,
}
