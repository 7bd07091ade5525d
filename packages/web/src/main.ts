import { bootstrapApplication } from '@angular/platform-browser';
import { appConfig } from './app/app.config';
import { FrameComponent } from './app/frame/frame.component';
import { wearTheme } from './app/frame/theme';

wearTheme();
bootstrapApplication(FrameComponent, appConfig).catch((error: unknown) => console.error(error));
