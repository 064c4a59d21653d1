import { afterNextRender, Directive, ElementRef, inject } from '@angular/core';

/** Takes the focus as soon as it is shown, so that who goes by keyboard answers at once. */
@Directive({ selector: '[appFocus]' })
export class FocusAtOnce {
  constructor() {
    const { nativeElement } = inject<ElementRef<HTMLElement>>(ElementRef);
    afterNextRender(() => {
      nativeElement.focus();
    });
  }
}
